#!/usr/bin/env bash
# All tests: style and types of both languages, then behaviour, the browser's included.
set -euo pipefail
root=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
cd "$root"
export PATH="$root/.venv/bin:$PATH" PYTHONPATH="$root/src"
step() { printf '\n== %s\n' "$*"; }

# With arguments, only the tests they name.
if [ $# -gt 0 ]; then exec python -m pytest "$@"; fi

step "style (ruff)"; ruff check .
ruff format --check .
step "types (mypy)"; mypy
step "front end: types and style"; (cd web && npx tsc -b)
(cd web && npx eslint src)
step "front end: tests"; (cd web && npx vitest run)
step "the API client matches the server"
python -m trochos.server.manage spectacular --file .state/openapi.yaml --validate --fail-on-warn
diff -u docs/openapi.yaml .state/openapi.yaml
(cd web && npx openapi-typescript ../docs/openapi.yaml -o ../.state/schema.d.ts >/dev/null)
diff -q web/src/api/schema.d.ts .state/schema.d.ts
step "tests (pytest)"; python -m pytest
