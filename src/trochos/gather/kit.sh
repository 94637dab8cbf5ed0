#!/bin/sh
# Reads how this router or host forwards packets, and packs it for Trochos.
#
# It only reads: no setting, no file and no service is changed. What is secret (passwords, keys,
# communities) is replaced by <secret> before it is written. It leaves one archive in the folder
# where it was started. Run it as root; as somebody else it reads less.
#
#   sh kit.sh [NAME]     NAME is what the device is called; its host name otherwise
#
# What it runs:
@LISTED@

set -u
LC_ALL=C
PATH=$PATH:/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin
export LC_ALL PATH
umask 077

say() { printf '%s\n' "$*" >&2; }

name=${1:-$(hostname 2>/dev/null || cat /proc/sys/kernel/hostname 2>/dev/null || uname -n)}
case $name in
  '' | -* | .* | *[!A-Za-z0-9._-]*)
    say "kit: '$name' cannot be a device's name here. Give one: sh kit.sh NAME"
    exit 2 ;;
esac
for needed in awk tar mktemp; do
  command -v "$needed" >/dev/null 2>&1 || { say "kit: $needed is not here, and nothing goes without it."; exit 2; }
done
[ "$(id -u 2>/dev/null)" = 0 ] || say "kit: not run as root, so some of it cannot be read."

here=$(pwd)
archive=$here/$name.tar.gz
work=$(mktemp -d "${TMPDIR:-/tmp}/kit.XXXXXX") || { say "kit: no room for what it reads; set TMPDIR."; exit 2; }
trap 'rm -rf "$work"' EXIT
trap 'exit 2' HUP INT TERM
out=$work/devices/$name
mkdir -p "$out" || exit 2
read_so_far=0

# Replaces what is secret, line by line.
hide() {
  awk '
    function rest(pattern) { word_or_rest(pattern, 1) }
    function word(pattern) { word_or_rest(pattern, 0) }
    function word_or_rest(pattern, whole,    low, head, tail, done) {
      done = ""
      tail = $0
      while (tail != "") {
        low = tolower(tail)
        if (!match(low, "(^|[^a-z0-9_<])" pattern)) break
        head = substr(tail, 1, RSTART + RLENGTH - 1)
        tail = substr(tail, RSTART + RLENGTH)
        if (tail == "") { done = done head; break }
        if (whole) { done = done head "<secret>"; tail = ""; break }
        if (!match(tail, /^[^ \t]+/)) { done = done head; continue }
        done = done head "<secret>"
        tail = substr(tail, RLENGTH + 1)
      }
      $0 = done tail
    }
    # Members of data: "password": "..." whatever the name that holds a secret.
    function members(    done, tail, piece, key) {
      done = ""
      tail = $0
      while (match(tail, /"[^"]*"[ \t]*:[ \t]*("([^"\\]|\\.)*"|-?[0-9][0-9A-Za-z.+-]*)/)) {
        piece = substr(tail, RSTART, RLENGTH)
        done = done substr(tail, 1, RSTART - 1)
        tail = substr(tail, RSTART + RLENGTH)
        key = substr(piece, 2)
        key = tolower(substr(key, 1, index(key, "\"") - 1))
        gsub(/_/, "-", key)
        sub(/^.*:/, "", key)
        if (key in named) {
          match(piece, /"[^"]*"[ \t]*:[ \t]*/)
          piece = substr(piece, 1, RLENGTH) "\"<secret>\""
        }
        done = done piece
      }
      $0 = done tail
    }
    BEGIN {
      count = split("@NAMES@", list, " ")
      for (i = 1; i <= count; i++) named[list[i]] = 1
    }
    /-----BEGIN [A-Z ]*PRIVATE KEY-----/ { print "<secret>"; private = 1 }
    private { if ($0 ~ /-----END [A-Z ]*PRIVATE KEY-----/) private = 0; next }
    {
      low = tolower($0)
      if (low !~ /@WORDS@/) { print; next }
      if ($0 ~ /^[ \t]*[[{"]/) { members(); print; next }
@FORMS@
      while (match($0, /:\/\/[^ \t\/@:]+:[^ \t\/@<]+@/)) {
        piece = substr($0, RSTART, RLENGTH)
        sub(/:[^:]*@$/, ":<secret>@", piece)
        $0 = substr($0, 1, RSTART - 1) piece substr($0, RSTART + RLENGTH)
      }
      print
    }
  '
}

# keep FILE WHAT COMMAND...: what a command says becomes a file, if it is there and says something.
keep() {
  file=$1 what=$2
  shift 2
  command -v "$1" >/dev/null 2>&1 || return 0
  if "$@" >"$work/said" 2>"$work/complained" </dev/null && [ -s "$work/said" ]; then
    hide <"$work/said" >"$out/$file" && read_so_far=$((read_so_far + 1)) && say "  $what"
  elif [ -s "$work/complained" ] && [ "$1" != cat ]; then
    say "  not read: $what"
  fi
  rm -f "$work/said" "$work/complained"
}

# Adds "KEY":"VALUE" to every entry of a list that `ip -j` gave, in place.
marked() {
  sed -e "s/{\"ifindex\":/{\"$2\":\"$3\",\"ifindex\":/g" -e "s/{\"dst\":/{\"$2\":\"$3\",\"dst\":/g" \
    -e "s/{\"type\":\"\([a-z]*\)\",\"dst\":/{\"$2\":\"$3\",\"type\":\"\1\",\"dst\":/g" \
    "$1" >"$work/marked" && mv "$work/marked" "$1"
}

say "Reading $name:"
@READ@

# Routes of the tables that rules name.
for family in 4 6; do
  tables=$(ip "-$family" rule 2>/dev/null | sed -n 's/.*lookup \([^ ]*\).*/\1/p' | sort -u)
  for table in $tables; do
    case $table in
      local | main | default | *[!A-Za-z0-9._-]*) continue ;;
    esac
    file=table-$table-ipv$family.json
    keep "$file" "IPv$family table $table" ip -j "-$family" route show table "$table"
    [ -f "$out/$file" ] && marked "$out/$file" table "$table"
  done
done

# Routing instances that are network namespaces: those that the routing software names.
if [ -f "$out/frr.conf" ] && command -v ip >/dev/null 2>&1; then
  awk '/^vrf /{v = $2} /^[ \t]+netns /{print v, $2} /^exit-vrf/{v = ""}' "$out/frr.conf" >"$work/spaces"
  while read -r instance space; do
    case $instance$space in '' | *[!A-Za-z0-9._/-]*) continue ;; esac
    inside=${space##*/}
    for file in ip-addr.json:addr ip-route.json:route ip-route6.json:-6:route; do
      kept=${file%%.json*}-$instance.json
      # shellcheck disable=SC2046
      keep "$kept" "${file%%.json*} of $instance" ip -n "$inside" -j $(printf '%s' "${file#*.json:}" | tr ':' ' ')
      [ -f "$out/$kept" ] && marked "$out/$kept" vrf "$instance"
    done
    names=$(ip -n "$inside" -o link 2>/dev/null | awk '{sub(/[@:].*/, "", $2); printf "%s\"%s\"", sep, $2; sep = ","}')
    printf '{"%s":{"netns":"%s","interfaces":[%s]}}\n' "$instance" "$space" "$names" >"$out/vrf-$instance.json"
  done <"$work/spaces"
fi

if [ "$read_so_far" = 0 ]; then
  say "kit: nothing could be read here, so there is no archive. Is this a Linux system, and are you root?"
  exit 1
fi
( cd "$work" && tar -cf - devices ) | gzip -c >"$archive" || { say "kit: $archive cannot be written."; exit 2; }
say "Done: $archive holds $read_so_far answers. Look at it before you send it: tar -tzf $archive"
