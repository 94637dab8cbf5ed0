#!/usr/bin/env python3
"""For a build server: uploads the configurations of a branch as a survey, checks what must hold in
its network, says what turned against the newest survey of before, and fails the build if anything
that must hold does not.

    TROCHOS_URL=https://trochos.example TROCHOS_TOKEN=trochos-... \\
        python3 check_branch.py FOLDER --title "branch harbour-7" --network harbours

It needs Python alone. The token is one of the role `engineer` (Account, Tokens).
Exit status: 0 everything holds, 1 something does not, 2 it could not be checked.
"""

from __future__ import annotations

import argparse
import io
import json
import os
import sys
import time
import urllib.error
import urllib.request
import uuid
import zipfile
from pathlib import Path

BASE = os.environ.get("TROCHOS_URL", "http://127.0.0.1:8420").rstrip("/")
TOKEN = os.environ.get("TROCHOS_TOKEN", "")


class NotChecked(Exception):
    """It could not be checked; the message says why."""


def ask(method: str, path: str, body: bytes | None = None, kind: str = "application/json"):
    """One request to the API; a 503 that says when to come again is asked again."""
    headers = {"Authorization": f"Bearer {TOKEN}", "Content-Type": kind}
    request = urllib.request.Request(f"{BASE}/api/{path}", body, headers, method=method)
    for _ in range(300):
        try:
            with urllib.request.urlopen(request, timeout=120) as answer:
                return json.load(answer)
        except urllib.error.HTTPError as error:
            if error.code == 503 and error.headers.get("Retry-After"):
                time.sleep(int(error.headers["Retry-After"]))
                continue
            try:
                says = json.load(error)["detail"]
            except (ValueError, KeyError):
                says = f"status {error.code}"
            raise NotChecked(says) from error
        except OSError as error:
            raise NotChecked(f"{BASE} does not answer: {error}") from error
    raise NotChecked("The server computes for too long.")


def packed(folder: Path) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for path in sorted(folder.rglob("*")):
            if path.is_file() and not any(part.startswith(".") for part in path.parts):
                archive.write(path, path.relative_to(folder).as_posix())
    return out.getvalue()


def upload(folder: Path, fields: dict[str, str]) -> dict:
    mark = uuid.uuid4().hex
    parts = []
    for name, value in fields.items():
        head = f'--{mark}\r\nContent-Disposition: form-data; name="{name}"\r\n\r\n'
        parts.append(head.encode() + value.encode() + b"\r\n")
    head = f'--{mark}\r\nContent-Disposition: form-data; name="files"; filename="survey.zip"\r\n'
    parts.append(
        head.encode() + b"Content-Type: application/zip\r\n\r\n" + packed(folder) + b"\r\n"
    )
    body = b"".join(parts) + f"--{mark}--\r\n".encode()
    taken = ask("POST", "surveys", body, f"multipart/form-data; boundary={mark}")
    # A large one is still being read when its sender is answered.
    while "title" not in taken:
        time.sleep(0.5)
        taken = ask("GET", f"surveys/incoming/{taken['id']}")["survey"] or taken
    return taken


def until_done(path: str) -> dict:
    """A long answer: asked until a worker has it."""
    for _ in range(1200):
        found = ask("GET", path)
        if found["state"] in ("done", "none"):
            return found
        time.sleep(0.5)
    raise NotChecked("No worker computes it. Do the workers run?")


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__.partition("\n\n")[0])
    parser.add_argument("folder", type=Path)
    parser.add_argument("--title", default="branch")
    parser.add_argument("--network", required=True)
    options = parser.parse_args()
    try:
        return check(options)
    except NotChecked as error:
        print(f"not checked: {error}", file=sys.stderr)
        return 2


def check(options: argparse.Namespace) -> int:
    earlier = [s for s in ask("GET", "surveys")["surveys"] if s["network"] == options.network]
    mine = upload(options.folder, {"title": options.title, "network": options.network})
    print(f"survey {mine['id']}: {mine['devices']} devices, {mine['unread']} not read")
    held = until_done(f"surveys/{mine['id']}/expectations")
    results = held["answer"]["results"] if held["answer"] else []
    if not results:
        print(f"Nothing is expected of {options.network} yet, so nothing can fail.")
    for result in results:
        print("holds " if result["holds"] else "FAILS ", result["name"], "-", result["reason"])
    earlier = [s for s in earlier if s["id"] != mine["id"]]
    if earlier:
        found = until_done(f"surveys/{mine['id']}/desk")
        turned = found["answer"].get("turned")
        if found["before"] and turned:
            print(
                f"since {found['before']['title']}: {turned['broken']} pairs broke, "
                f"{turned['healed']} healed"
            )
    return 0 if all(result["holds"] for result in results) else 1


if __name__ == "__main__":
    sys.exit(main())
