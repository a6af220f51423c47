#!/usr/bin/env bash
# Takes one picture of each main command's output, on the demo data, in a terminal window of about
# 1280 × 800, and of the report's page. Needs xvfb, xterm, imagemagick, chromium and fonts-dejavu-core from the system's
# packages.
set -euo pipefail
cd "$(dirname "$0")/../.."
cargo build --quiet --release
tool="$PWD/target/release/edgeplane"
pictures="$PWD/docs/screenshots"
work=$(mktemp -d)
display=":$((90 + RANDOM % 9))"
Xvfb "$display" -screen 0 1280x800x24 -nolisten tcp > /dev/null 2>&1 &
server=$!
trap 'kill "$server" 2> /dev/null; rm -rf "$work"' EXIT
sleep 1

# picture NAME FONT-SIZE COMMAND: shows the command and its output, then takes the picture.
picture() {
  local name=$1 size=$2 command=$3
  cat > "$work/show" << SHOW
#!/usr/bin/env bash
cd "$work"
printf '\$ %s\n' '${command//\'/\'\\\'\'}'
$command 2>&1
touch "$work/done"
sleep 90
SHOW
  chmod +x "$work/show"
  rm -f "$work/done"
  DISPLAY=$display xterm -fa 'DejaVu Sans Mono' -fs "$size" -geometry 400x200+0+0 -bg '#fdfdf8' -fg '#22282c' \
    -xrm 'xterm*cursorColor: #fdfdf8' -e "$work/show" > /dev/null 2>&1 &
  local terminal=$!
  for _ in $(seq 600); do [ -e "$work/done" ] && break; sleep 0.1; done
  sleep 0.7
  DISPLAY=$display import -window root "$pictures/$name.png"
  kill "$terminal" 2> /dev/null
  wait "$terminal" 2> /dev/null || true
}

cp -r demo/weir-nine "$work/weir-nine"
mkdir "$work/misspelt"
cp demo/weir-nine/*.toml demo/weir-nine/*.csv "$work/misspelt"
sed -i 's/6 + caster.heft \* 0.9", spread/6 + caster.hefd * 0.9", spread/; 0,/cooldown = 9$/s//cooldwon = 9/' "$work/misspelt/abilities.toml"
sed -i 's/60 + 14 \* grit/60 + 14 * (grit/' "$work/misspelt/ruleset.toml"
PATH="$(dirname "$tool"):$PATH"

picture check 11 'edgeplane check misspelt'
picture explain_character 9 'edgeplane explain weir-nine lockhand'
picture explain_ability 11 'edgeplane explain weir-nine pincer --from silt_crab --on lockhand'
picture explain_status 11 'edgeplane explain weir-nine cracked --from bell_ringer --on silt_crab; edgeplane explain weir-nine silted --from reed_stalker --on lockhand'
picture fight_ground 9 'edgeplane fight weir-nine flats --seed 2 | head -38; edgeplane fight weir-nine high_water --seed 5 | tail -28 | head -14'
picture fight 10 'edgeplane fight weir-nine duel --seed 7'
picture fight_trace 9 'edgeplane fight weir-nine duel --seed 7 --trace | head -56'
picture trials 10 'edgeplane trials weir-nine duel'
picture compare 10 'edgeplane compare weir-nine duel --set character.silt_crab.attributes.heft=18'
picture sweep 9 'edgeplane sweep weir-nine duel --vary character.lockhand.attributes.heft=11..17:1; edgeplane sweep weir-nine duel --vary character.lockhand.attributes.heft=12..16:1 --vary "ability.boathook.cooldown*=0.8..1.2:0.1" -m "win_rate(keepers)"'
picture sensitivity 9 'edgeplane sensitivity weir-nine duel; edgeplane sensitivity weir-nine duel --without'
picture tune 10 'edgeplane tune weir-nine duel --vary character.lockhand.attributes.heft=8..20 --want "win_rate(keepers) = 50% +- 1%"; edgeplane tune weir-nine duel --vary character.lockhand.attributes.heft=8..20 --want "win_rate(keepers) >= 50%" --want "duration <= 10"'
picture gauntlet 10 'edgeplane gauntlet weir-nine long_night'
picture matrix 9 'edgeplane matrix weir-nine --among lockhand,sluicer,lampwright,bell_ringer,silt_crab,reed_stalker,drowned_miller -n 500'
picture verify 10 'edgeplane verify weir-nine; edgeplane verify weir-nine --set character.lockhand.attributes.heft=18'
picture demo 9 'edgeplane demo -o tour | head -56'

cargo build --quiet --release -p edgeplane --example night_watch --example small_world
PATH="$PWD/target/release/examples:$PATH"
picture small_world 11 small_world

# The example that is played, with somebody's keys; needs tmux, too.
DISPLAY=$display xterm -fa 'DejaVu Sans Mono' -fs 10 -geometry 158x46+0+0 -bg '#fdfdf8' -fg '#22282c' \
  -e tmux -L screenshots -f /dev/null new-session -s watch "tmux -L screenshots set status off; $PWD/target/release/examples/night_watch" \
  > /dev/null 2>&1 &
terminal=$!
sleep 2
for key in 2 1 Tab 2 3 2 1 2 2; do
  tmux -L screenshots send-keys -t watch "$key"
  sleep 0.8
done
DISPLAY=$display import -window root "$pictures/night_watch.png"
tmux -L screenshots send-keys -t watch q
wait "$terminal" 2> /dev/null || true

# page NAME WIDTH HEIGHT: takes a picture of the report.
page() {
  chromium --headless --no-sandbox --disable-gpu --disable-background-networking --disable-component-update --disable-sync \
    --no-first-run --hide-scrollbars --user-data-dir="$work/browser" --window-size="$2,$3" --screenshot="$pictures/$1.png" \
    "file://$4" > /dev/null 2>&1
}
edgeplane report "$work/weir-nine" -n 2000 -o "$work/report.html" > /dev/null
page report 1280 1600 "$work/report.html"
# A window cannot be as narrow as a phone, but a frame within it can.
echo "<body style='margin:0'><iframe src='report.html' style='width:390px;height:1400px;border:0'></iframe>" > "$work/phone.html"
page phone 500 1400 "$work/phone.html"
convert "$pictures/report.png" '(' "$pictures/phone.png" -crop 390x1400+0+0 +repage ')' -background '#888' +smush 24 "$pictures/report.png"
rm "$pictures/phone.png"
