#!/usr/bin/env bash
# Rendering by another build against this one's: pairs of runs in turn, so that both meet the same machine.
# usage: bench/against.sh OTHER_CLI THIS_CLI [PAIRS] [STARTER...]
# A row a starter: medians of the processor time (user, seconds) and of the ratios pair by pair; below 1 is faster now.
set -euo pipefail
other=$(realpath "$1") this=$(realpath "$2") pairs=${3:-10}
starters=("${@:4}")
[[ ${#starters[@]} -gt 0 ]] || starters=(sun-core glass-planets jade-moon floor-mist glass-over-slate orrery-hall)
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT
seconds() { # CLI DOCUMENT
  local TIMEFORMAT=%U
  { time "$1" render "$2" -o "$folder/picture.exr" --size 320x200 --samples 32 --seed 7 --no-denoise > /dev/null 2>&1; } 2>&1
}
median() { sort -g | awk '{v[NR] = $1} END {print NR % 2 ? v[(NR + 1) / 2] : (v[NR / 2] + v[NR / 2 + 1]) / 2}'; }
printf '| starter, 320x200, 32 samples, %d pairs | before, s | now, s | now / before |\n|---|---|---|---|\n' "$pairs"
for starter in "${starters[@]}"; do
  document="$folder/$starter.ilum"
  "$this" new "$starter" -o "$document" > /dev/null
  : > "$folder/pairs"
  for ((i = 0; i < pairs; ++i)); do
    if ((i % 2)); then now=$(seconds "$this" "$document"); before=$(seconds "$other" "$document")
    else before=$(seconds "$other" "$document"); now=$(seconds "$this" "$document"); fi
    echo "$before $now" >> "$folder/pairs"
  done
  printf '| %s | %.2f | %.2f | %.3f |\n' "$starter" "$(cut -d' ' -f1 "$folder/pairs" | median)" \
    "$(cut -d' ' -f2 "$folder/pairs" | median)" "$(awk '{print $2 / $1}' "$folder/pairs" | median)"
done
