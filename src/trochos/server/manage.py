"""Django's management commands, against the project's own cluster."""

import os
import sys


def main() -> None:
    from .cluster import ensure_database

    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "trochos.server.settings")
    ensure_database()
    from django.core.management import execute_from_command_line

    execute_from_command_line(sys.argv)


if __name__ == "__main__":
    main()
