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
step "tests: computation and command line, and real routers beside them"
# Real routers mostly wait for each other, so they take little from the tests beside them, and
# these give way to them: routers have clocks. Two groups wait side by side.
slow="tests/real/test_dynamic.py tests/real/test_demo.py tests/real/test_forms.py"
python -m pytest $slow >.state/real-1.log 2>&1 & first=$!
python -m pytest tests/real $(printf -- '--ignore=%s ' $slow) >.state/real-2.log 2>&1 & second=$!
trap 'kill $first $second 2>/dev/null || true' EXIT
nice -n 15 python -m pytest tests/core tests/cli tests/gather tests/test_structure.py
step "tests: server and browser"; nice -n 15 python -m pytest tests/server tests/browser
step "tests: what the real routers said"
failed=0
wait $first || failed=1
wait $second || failed=1
cat .state/real-1.log .state/real-2.log
trap - EXIT
[ $failed = 0 ] || exit 1
