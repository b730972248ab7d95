#!/usr/bin/env bash
# Makes docs/screenshots from the demo: a terminal of about 1280x800 under a virtual display.
# Needs Xvfb, xterm, xdotool, ImageMagick and Chromium (Debian: xvfb xterm xdotool imagemagick chromium).
set -eu
cd "$(dirname "$0")/.."
for tool in Xvfb xterm xdotool import chromium; do
  command -v "$tool" >/dev/null || { echo "missing: $tool. sudo apt-get install xvfb xterm xdotool imagemagick chromium" >&2; exit 1; }
done
mkdir -p docs/screenshots
shots=$PWD/docs/screenshots
# A copy in a folder of its own, so that the pictures show no path of the machine that made them.
work=/tmp/skerrow
rm -rf "$work"
mkdir -p "$work/bin"
cp -r dist runtimes demo package.json "$work"
for part in engines/v8/agent src/targets/unprepared/tracer; do
  mkdir -p "$work/$(dirname $part)"
  cp -r $part "$work/$part"
done
ln -s "$PWD/node_modules" "$work/node_modules"
ln -s "$work/dist/src/cli/main.js" "$work/bin/amber"
export DISPLAY=:$((RANDOM % 400 + 100)) AMBER_RUN_DIR="$work/run" PATH="$work/bin:$PATH"
export AMBER_PYTHON=${AMBER_PYTHON:-/usr/bin/python3}
mkdir -m 700 "$AMBER_RUN_DIR"
cd "$work"
Xvfb "$DISPLAY" -screen 0 1280x800x24 >/dev/null 2>&1 &
display=$!
for _ in $(seq 100); do xdotool getmouselocation >/dev/null 2>&1 && break; sleep 0.05; done
office=
browser=
trap 'kill $display $office $browser 2>/dev/null || true; rm -rf "$work"' EXIT

# Waits until the terminal's recording holds a text.
until_shown() { for _ in $(seq 600); do grep -aq "$1" "$work/log" 2>/dev/null && return; sleep 0.05; done; echo "not shown: $1" >&2; exit 1; }

open_terminal() {
  rm -f "$work/log"
  touch "$work/log"
  xterm -fa 'DejaVu Sans Mono' -fs 11 -geometry 140x44+0+0 -bg '#14110f' -fg '#e8e2d9' -xrm 'XTerm*cursorColor: #f0a030' \
    -xrm 'XTerm*color8: #8a8078' -e bash -c "cd $work/demo && exec script -qfc 'PS1=ferry:\  bash --norc' $work/log" &
  terminal=$!
  until_shown 'ferry:'
  xdotool search --sync --class xterm windowsize 1280 800 windowfocus >/dev/null
}
type_line() { xdotool type --delay 4 -- "$1"; xdotool key Return; }
shoot() { sleep 0.4; import -window root "$shots/$1.png"; }
close_terminal() { kill "$terminal" 2>/dev/null || true; wait "$terminal" 2>/dev/null || true; }

node dist/src/cli/main.js demo --office >"$work/office" 2>&1 &
office=$!
for _ in $(seq 100); do grep -q 'ends the office' "$work/office" && break; sleep 0.1; done
url=$(grep -o 'http://[0-9.:]*' "$work/office" | head -n 1)
desk=$(grep -o 'desk .*listens on http://[0-9.:]*' "$work/office" | grep -o 'http://.*')
slips=$(grep -o 'slips .*listens on http://[0-9.:]*' "$work/office" | grep -o 'http://.*')
tides=$(grep -o 'tides .*listens on http://[0-9.:]*' "$work/office" | grep -o 'http://.*')
pids="amber attach fares desk"
blank='{"name":"   ","from":"Holm","to":"Innish"}'
booking='{"name":"Tove Lind","from":"Innish","to":"Tarrin","passengers":{"adult":2},"cabin":true}'
return_with_child='{"from":"Skerrow","to":"Holm","passengers":{"adult":2,"child":1},"return":true}'

# A Python that nobody has prepared.
(cd "$work/demo/data" && exec /usr/bin/python3 -m http.server 0 >/dev/null 2>&1) &
bare=$!

open_terminal
type_line 'amber targets'
until_shown 'attachable'
shoot targets
kill $bare
type_line 'clear; amber attach python'
until_shown 'attached to'
type_line 'break quotes.py:84 when leg < 0'
until_shown 'spliced'
curl -s "$url/quotes" -d "$return_with_child" >/dev/null &
until_shown 'next'
shoot stop-card
xdotool key ctrl+l
type_line 'vars request --table'
until_shown 'content-length'
type_line 'response'
until_shown 'nothing'
shoot request
xdotool key ctrl+l
type_line 'stack'
type_line 'vars'
type_line '= {line.text: line.amount for line in lines}'
type_line 'over'
until_shown 'quotes.py:85'
shoot looking-around
type_line 'drop 1'
type_line 'resume'
type_line 'detach'
until_shown 'detached'
close_terminal

rm -f "$work/log"
open_terminal
type_line "clear; amber launch --with $AMBER_PYTHON seasons.ipynb"
until_shown 'none has run'
type_line "break seasons.ipynb#2:3 when row['season'] in extras"
until_shown 'mark 1 at'
type_line 'run all'
until_shown 'next'
type_line "= rows('extras')"
until_shown '1.50'
type_line 'sources'
until_shown 'foreign files'
shoot cell
type_line 'detach'
until_shown 'its interpreter ends'
close_terminal

rm -f "$work/log"
open_terminal
type_line 'clear; amber attach node'
until_shown 'attached to'
type_line 'watch BLANK.lastIndex'
type_line 'watch name.trim() === ""'
type_line 'break bookings.js:38 when !name.trim()'
until_shown 'mark 1 at'
curl -s "$desk/bookings" -d "$blank" >/dev/null &
until_shown 'mark 1.*in checkTrip'
type_line 'resume'
sleep 0.5
xdotool key ctrl+l
curl -s "$desk/bookings" -d "$blank" >/dev/null &
until_shown 'was 0'
shoot javascript
type_line 'drop 1'
type_line 'resume'
type_line 'detach'
until_shown 'detached'
close_terminal

rm -f "$work/log"
open_terminal
type_line 'clear; amber attach desk'
until_shown 'attached to'
type_line 'log sends * "{method} {url} answered {status}"'
until_shown 'mark 1 at'
type_line 'break sends POST /slips*'
until_shown 'mark 2 at'
curl -s "$desk/bookings" -d "$booking" >/dev/null &
until_shown 'mark 2.*in ask'
type_line 'vars sent'
until_shown 'travellers=2'
type_line 'over'
until_shown 'step.*in ask'
shoot sends
type_line 'drop all'
type_line 'resume'
type_line 'detach'
until_shown 'detached'
close_terminal

rm -f "$work/log"
open_terminal
type_line "clear; $pids"
until_shown 'attached to 1'
type_line 'target 2'
type_line 'break bookings.js:21 when trip.cabin'
type_line 'break quotes.py:80 when kind == "adult"'
until_shown 'mark 2 at'
type_line "send $desk/bookings $booking"
until_shown 'mark 1.*in book'
type_line 'resume'
until_shown 'also stopped'
type_line 'targets'
until_shown 'state'
sleep 0.5
type_line 'target 1'
until_shown 'lines = .Line'
sleep 0.5
type_line '= trip'
until_shown 'Trip(start'
type_line 'drop all'
type_line 'resume'
type_line 'detach'
until_shown 'detached'
close_terminal

rm -f "$work/log"
open_terminal
type_line "clear; $pids"
until_shown 'attached to 1'
type_line 'log quotes.py:84 "{kind} back: {leg} at discount {discount}"'
until_shown 'mark 1 at'
type_line 'log bookings.js:21 "{trip.name} gets {cabin} on {sailing.boat}" when trip.cabin'
until_shown 'mark 2 at'
type_line 'count single_fare'
until_shown 'mark 3 at'
type_line 'break quotes.py:84 when leg < -1000 hits from 3'
until_shown 'mark 4 at'
for _ in 1 2 3; do curl -s "$url/quotes" -d "$return_with_child" >/dev/null; curl -s "$desk/bookings" -d "$booking" >/dev/null; done
until_shown 'gets K'
sleep 0.5
type_line 'marks'
until_shown 'leg < -1000'
shoot logpoints
type_line 'detach'
close_terminal

rm -f "$work/log"
open_terminal
type_line 'clear; amber attach ruby'
until_shown 'attached to'
type_line 'watch sailing.clearance.round(2)'
type_line "break sailings.rb:54 when sailing.boat == 'Merlin'"
until_shown 'mark 1 at'
curl -s "$tides/sailings?from=Innish&to=Tarrin&on=2026-05-01" >/dev/null &
until_shown 'mark 1.*in block'
type_line 'stack'
type_line 'vars'
until_shown 'Closure'
shoot ruby
type_line 'drop 1'
type_line 'resume'
type_line 'detach'
until_shown 'detached'
close_terminal

# The counter's page, in a browser of its own, whose button somebody presses.
chromium --headless=new --no-sandbox --disable-gpu --no-first-run --remote-debugging-port=0 \
  --user-data-dir="$work/counter" "$desk/counter" >/dev/null 2>&1 &
browser=$!
for _ in $(seq 100); do [ -s "$work/counter/DevToolsActivePort" ] && break; sleep 0.1; done
press() { node "$work/press.cjs" "$(head -n 1 "$work/counter/DevToolsActivePort")" "$1"; }
cat >"$work/press.cjs" <<'JS'
const WebSocket = require('ws');
const [port, expression] = process.argv.slice(2);
fetch(`http://127.0.0.1:${port}/json/list`).then((answer) => answer.json()).then((pages) => {
  const socket = new WebSocket(pages.find(({ url }) => url.endsWith('/counter')).webSocketDebuggerUrl);
  socket.on('open', () => socket.send(JSON.stringify({ id: 1, method: 'Runtime.evaluate', params: { expression } })));
  socket.on('message', () => process.exit());
});
JS
sleep 2
press 'form.requestSubmit()'
rm -f "$work/log"
open_terminal
type_line 'clear; amber attach page'
until_shown 'attached to'
type_line 'break takings.js:19 when typeof total !== "number"'
until_shown 'mark 1 at'
press 'form.requestSubmit()' &
until_shown 'holds the event loop'
type_line '= document.getElementById("book")'
until_shown 'button#book'
shoot page-stop
type_line 'resume'
type_line 'detach'
until_shown 'detached'
close_terminal
printf 'traceTo: ["%s"]\n' "$desk" >"$work/demo/amber.yaml"
rm -f "$work/log"
open_terminal
marks="--log 'counter.js:26 \"{wanted.name} to {wanted.to}\"' --log 'bookings.js:21 \"{trip.name} on {sailing.boat}\"' --log 'quotes.py:75 \"total {total}\"'"
type_line "clear; amber trace 'page:${desk#http://}/*' desk fares tides slips $marks --trail $work/click.ndjson"
until_shown 'Ctrl-C ends it'
press 'document.getElementById("book").click()'
until_shown 'EVENT click'
until_shown '5 requests'
xdotool key ctrl+c
until_shown 'trail:'
click=$(amber report "$work/click.ndjson" | grep 'EVENT click' | grep -o '^ *[0-9]*' | head -n 1 | tr -d ' ')
type_line "clear; amber report $work/click.ndjson --request $click"
until_shown 'traceparent'
shoot story
close_terminal
rm "$work/demo/amber.yaml"
kill $browser 2>/dev/null || true

cat >"$work/demo/amber.yaml" <<YAML
requests:
  good-single: { method: POST, url: "$url/quotes", body: { from: Skerrow, to: Holm, passengers: { adult: 2, child: 1 } } }
  good-return: { method: POST, url: "$url/quotes", body: { from: Skerrow, to: Holm, passengers: { adult: 2 }, return: true } }
  return-with-child: { method: POST, url: "$url/quotes", body: $return_with_child }
YAML
rm -f "$work/log"
open_terminal
type_line 'clear; amber contrast --good good-single good-return --faulty return-with-child --times 3 --trail '"$work/contrast.ndjson"
until_shown 'look there'
shoot contrast
close_terminal

cat >"$work/demo/amber.yaml" <<YAML
targets:
  fares: { command: fares/serve.py }
marks:
  - break: fares/quotes.py:84 when leg < 0
  - log: 'quotas.py:12 "{leg}"'
requests:
  return-with-child: { method: POST, url: "$url/quotes", body: $return_with_child }
  manifest: { url: "http://127.0.0.1:9/manifests" }
paths:
  - { local: piers, remote: /srv/office }
YAML
rm -f "$work/log"
open_terminal
type_line 'clear; amber check'
until_shown 'wrong$\|things are'
shoot check
close_terminal
rm "$work/demo/amber.yaml"

slip=$(curl -s "$slips/slips" -d 'booking=1003&name=Ingebjørg+Lids-Sæther' | grep -o '"id":[0-9]*' | grep -o '[0-9]*')
rm -f "$work/log"
open_terminal
type_line 'clear; amber attach php'
until_shown 'attached to'
type_line "break pages.php:31 when strlen(\$text) > 20"
until_shown 'mark 1 at'
xdotool key ctrl+l
type_line "send $slips/slips/$slip"
until_shown 'mark 1.*in Skerrow'
sleep 0.5
type_line 'vars request'
until_shown 'session'
type_line 'response'
until_shown 'response so far'
shoot php
type_line 'drop 1'
type_line 'resume'
type_line 'detach'
until_shown 'detached'
close_terminal

cat >"$work/demo/amber.yaml" <<YAML
requests:
  family-return:
    url: $desk/bookings
    body: { name: Ines Marlow, from: Skerrow, to: Holm, passengers: { adult: 2, child: 1 }, return: true }
    expect: { status: 201, body: ["/total > 63.20"] }
  good-booking:
    url: $desk/bookings
    body: { name: Ada Quill, from: Skerrow, to: Holm, passengers: { adult: 1 }, cabin: true }
    expect: { status: 201 }
YAML
marks="--log 'quotes.py:75 \"total {total}\"' --log 'bookings.js:21 \"{trip.name} gets {cabin}\"' --follow passenger_lines"
rm -f "$work/log"
open_terminal
type_line "clear; amber trace javascript python ruby php $marks"
until_shown 'Ctrl-C ends it'
for name in good-booking family-return good-booking family-return good-booking; do (cd "$work/demo" && amber send "$name" >/dev/null) || true; done
until_shown '20 requests'
shoot trace
xdotool key ctrl+c
until_shown 'trail:'
type_line "clear; amber trace javascript python ruby php $marks --send family-return --send good-booking --times 30 --concurrency 3 --trail $work/booking.ndjson"
until_shown 'trail: .*booking'
booking=$(amber report "$work/booking.ndjson" --last 1000 | grep 'POST /bookings.*faulty' | grep -o '^ *[0-9]*' | head -n 1 | tr -d ' ')
close_terminal
amber report "$work/booking.ndjson" --html
# page SHOT VIEW [TRAIL]: the page of a trail, made from it just before
page() {
  chromium --headless --no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking \
    --disable-component-update --disable-sync --user-data-dir="$work/browser" --hide-scrollbars --window-size=1280,800 \
    --virtual-time-budget=4000 --screenshot="$shots/$1.png" "file://$work/${3:-booking}.html$2" >/dev/null 2>&1
}
page page '#/'
page page-request "#/request/$booking"
amber report "$work/contrast.ndjson" --html
page page-contrast '#/contrast' contrast

cat >"$work/demo/amber.yaml" <<YAML
requests:
  good-return:
    url: $url/quotes
    body: { from: Skerrow, to: Holm, passengers: { adult: 1 }, return: true }
    expect: { status: 200, body: ["/return = true", "/total > 24.70"] }
  return-with-child:
    url: $url/quotes
    body: $return_with_child
    expect: { status: 200, body: ["/return = true", "/total > 63.20"] }
YAML
rm -f "$work/log"
open_terminal
type_line 'clear; tail -n 4 amber.yaml; amber send good-return; amber send return-with-child'
until_shown 'faulty'
shoot send
close_terminal
