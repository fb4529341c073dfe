#!/usr/bin/env bash
# Does an installed Ribalta start its demo? demo_starts.sh RIBALTA FOLDER: runs it on a virtual screen, asks the running
# show for a check of everything, and ends it. FOLDER is for all that it writes.
set -euo pipefail
ribalta=$1 folder=$2
mkdir -p "$folder/run" && chmod 700 "$folder/run"
export XDG_RUNTIME_DIR=$folder/run XDG_DATA_HOME=$folder/data XDG_CONFIG_HOME=$folder/config XDG_STATE_HOME=$folder/state
"$ribalta" --version
"$ribalta" demo --show "$folder/demo.ribalta" >"$folder/demo.log" 2>&1 &
demo=$!
end() { # the window, and the show and the stand-ins that go on without it
  kill $demo 2>/dev/null || true
  wait $demo 2>/dev/null || true
  for pid in $(grep -lzx "XDG_RUNTIME_DIR=$XDG_RUNTIME_DIR" /proc/[0-9]*/environ 2>/dev/null | cut -d/ -f3); do
    [ "$pid" = $$ ] || kill "$pid" 2>/dev/null || true
  done
  sleep 3
}
trap end EXIT
for _ in $(seq 60); do
  sleep 1
  kill -0 $demo || { cat "$folder/demo.log"; exit 1; }
  # 0, 1 and 2 are what a check comes to (the demo's own titles are old); the show has to be running to be asked
  if ls "$XDG_RUNTIME_DIR"/ribalta/* >/dev/null 2>&1; then break; fi
done
sleep 6
"$ribalta" check "$folder/demo.ribalta" --json >"$folder/check.json" || [ $? -le 2 ]
grep -q '"key": "picture.live"' "$folder/check.json"
grep -o '"summary": "[^"]*"' "$folder/check.json"
"$ribalta" thumbnail "$folder/demo.ribalta" "$folder/small.png"
echo "The demo started, and its cameras were checked."
