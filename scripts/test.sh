#!/usr/bin/env bash
# All tests: style and types of both languages, then behaviour, the browser's included.
#
#   ./trochos test              everything
#   ./trochos test --quick      style, types and the core's tests, without those that take longer
#                               than half a second (marked thorough) and with three cases of those
#                               that are made for many networks, on all cores: about a minute on two
#   ./trochos test --real       about sixty cures of all kinds loaded on real routers: half an hour
#   ./trochos test ARGUMENTS    only the tests that pytest's arguments name
#
# A part that fails does not hide the others: all run, and the last lines say which failed and how
# many tests were left out, with the reasons. Where CI is set, tests on real routers that are left
# out are a failure; elsewhere they are only told.
set -uo pipefail
root=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
cd "$root" || exit 2
longest="--durations=12 --durations-min=10" # what takes the time, told at the end of each part
# Real routers have clocks and start in no fixed order: a lab that came up otherwise is built once
# more, and that is told. So is a page in the real browser, which a busy machine may show late. What
# we compute from the same texts is the same each time, so a wrong answer of ours fails twice.
again="--reruns 1 -raR"
export PATH="$root/.venv/bin:$PATH" PYTHONPATH="$root/src"
cores=$(nproc)
said="$root/.state/test"
mkdir -p "$said"
rm -f "$said"/*.log
failed=()

part() { # part NAME COMMAND...: runs it, shows what it says, and remembers if it failed
  local name=$1
  shift
  printf '\n== %s\n' "$name"
  "$@" 2>&1 | tee "$said/${name//[^a-z]/-}.log"
  [ "${PIPESTATUS[0]}" = 0 ] || failed+=("$name")
}

closing() {
  printf '\n== in all\n'
  # What pytest left out: how many, where, why.
  grep -h '^SKIPPED ' "$said"/*.log | sort | sed 's/^SKIPPED /left out: /' || true
  grep -h '^RERUN ' "$said"/*.log | sort | sed 's/^RERUN /run twice: /' || true
  grep -hE '^(FAILED|ERROR) ' "$said"/*.log | sort | sed 's/^/  /' || true
  if [ ${#failed[@]} = 0 ]; then
    echo "Every part passed."
    exit 0
  fi
  printf 'failed: %s\n' "${failed[@]}"
  exit 1
}

style() { ruff check . && ruff format --check .; }
page_types() { cd web && npx tsc -b && npx eslint src; }
page_tests() { cd web && npx vitest run; }
api_client() {
  python -m trochos.server.manage spectacular --file .state/openapi.yaml --validate --fail-on-warn &&
    diff -u docs/openapi.yaml .state/openapi.yaml &&
    (cd web && npx openapi-typescript ../docs/openapi.yaml -o ../.state/schema.d.ts >/dev/null) &&
    diff -q web/src/api/schema.d.ts .state/schema.d.ts
}

if [ "${1:-}" = --quick ]; then
  part "style" style
  part "types" mypy
  part "computation, in short" \
    python -m pytest -n "$cores" -m "not thorough" --sample 3 tests/core tests/test_structure.py
  closing
fi
if [ "${1:-}" = --real ]; then
  export TROCHOS_REAL=all
  part "cures on real routers" \
    python -m pytest -n $((2 * cores)) tests/real/test_remedies.py -k heals_on_real $again
  closing
fi
if [ $# -gt 0 ]; then
  # Django's settings name the database before pytest's own configuration could make one.
  python -m trochos.server.cluster || exit 2
  exec python -m pytest "$@"
fi

part "style" style
part "types" mypy
part "front end, types and style" page_types
part "front end, tests" page_tests
part "the API client matches the server" api_client
# Real routers mostly wait for each other, so they take little from the tests beside them, and
# these give way to them: routers have clocks. Two groups wait side by side.
slow="tests/real/test_dynamic.py tests/real/test_demo.py tests/real/test_forms.py tests/real/test_isis.py"
python -m pytest $slow $again >"$said/real-routers-a.log" 2>&1 & first=$!
python -m pytest tests/real $(printf -- '--ignore=%s ' $slow) $again >"$said/real-routers-b.log" 2>&1 & second=$!
trap 'kill $first $second 2>/dev/null || true' EXIT
part "computation and command line" \
  nice -n 15 python -m pytest -n "$cores" tests/core tests/cli tests/gather tests/test_structure.py $longest
part "the API as its schema says" nice -n 15 python -m pytest -n "$cores" tests/server/test_schema.py $longest
# Files of tests go as wholes: each process has a database and, in the browser's, a server of its own.
part "server" nice -n 15 python -m pytest -n "$cores" --dist loadfile tests/server \
  --ignore=tests/server/test_schema.py $longest
part "browser" nice -n 15 python -m pytest -n "$cores" --dist loadfile tests/browser $again $longest
printf '\n== real routers\n'
wait $first || failed+=("real routers, first group")
wait $second || failed+=("real routers, second group")
trap - EXIT
cat "$said"/real-routers-*.log
left_out=$(cat "$said"/real-routers-*.log | sed -n 's/^SKIPPED \[\([0-9]*\)\].*/\1/p' | paste -sd+ | sed 's/^$/0/')
if [ -n "${CI:-}" ] && [ $((left_out)) -gt 0 ]; then
  failed+=("real routers: $((left_out)) tests were left out, and CI has to run them")
fi
closing
