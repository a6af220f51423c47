#!/usr/bin/env bash
# Takes one picture of each main command's output, on the demo data, in a terminal window of about
# 1280 × 800. Needs xvfb, xterm, imagemagick and fonts-dejavu-core from the system's packages.
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
sleep 30
SHOW
  chmod +x "$work/show"
  rm -f "$work/done"
  DISPLAY=$display xterm -fa 'DejaVu Sans Mono' -fs "$size" -geometry 400x200+0+0 -bg '#fdfdf8' -fg '#22282c' \
    -xrm 'xterm*cursorColor: #fdfdf8' -e "$work/show" > /dev/null 2>&1 &
  local terminal=$!
  for _ in $(seq 100); do [ -e "$work/done" ] && break; sleep 0.1; done
  sleep 0.7
  DISPLAY=$display import -window root "$pictures/$name.png"
  kill "$terminal" 2> /dev/null
  wait "$terminal" 2> /dev/null || true
}

cp -r demo/weir-nine "$work/weir-nine"
mkdir "$work/misspelt"
cp demo/weir-nine/*.toml "$work/misspelt"
sed -i 's/6 + caster.heft \* 0.9", spread/6 + caster.hefd * 0.9", spread/; s/cooldown = 9$/cooldwon = 9/' "$work/misspelt/abilities.toml"
sed -i 's/60 + 14 \* grit/60 + 14 * (grit/' "$work/misspelt/ruleset.toml"
PATH="$(dirname "$tool"):$PATH"

picture check 11 'edgeplane check misspelt'
picture explain_character 9 'edgeplane explain weir-nine lockhand'
picture explain_ability 11 'edgeplane explain weir-nine pincer --from silt_crab --on lockhand'
picture explain_status 11 'edgeplane explain weir-nine cracked --from bell_ringer --on silt_crab; edgeplane explain weir-nine silted --from reed_stalker --on lockhand'
picture explain_with 9 'edgeplane explain weir-nine lockhand --with braced --with tide_charm=3 --with waterlogged=2'
picture explain_gear 9 'edgeplane explain weir-nine gatekeeper'
picture explain_limits 9 'edgeplane explain weir-nine drowned_miller'
picture fight_statuses 9 'edgeplane fight weir-nine night_shift --seed 3 | sed -n "1,6p;68,112p"'
picture trials_statuses 9 'edgeplane trials weir-nine night_shift -n 2000 | sed -n "54,108p"'
picture fight 10 'edgeplane fight weir-nine duel --seed 7'
picture fight_trace 9 'edgeplane fight weir-nine duel --seed 7 --trace | head -56'
picture trials 10 'edgeplane trials weir-nine duel'
picture new 11 'edgeplane new mine'
picture demo 9 'edgeplane demo -o tour | head -56'
