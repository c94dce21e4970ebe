#!/usr/bin/env bash
# How near pictures come to the truth, by another build and by this one, in turn, so that both meet the same machine.
# usage: bench/quality.sh references OTHER_CLI THIS_CLI FOLDER [SAMPLES]
#          documents of eight starters as the other build writes them, and two references each that know nothing of each
#          other, without the firefly limit; what is there stays
#        bench/quality.sh compare OTHER_CLI THIS_CLI BENCH FOLDER [RUNS]
#          errors, raw and denoised, medians of the runs; at sample counts and seconds as $QUALITY_SAMPLES ("1 4 16 64")
#          and $QUALITY_SECONDS ("5 15 60") say. Pictures stay in FOLDER/pictures; before and after
#          side by side, of the first run, in FOLDER/sheet.NAME.KIND.png.
set -euo pipefail
starters=(${QUALITY_STARTERS:-sun-core glass-over-slate jade-moon zodiac-band floor-mist still-pool pool-ripples orrery-hall})
size=${QUALITY_SIZE:-320x200}
what=$1 other=$(realpath "$2") this=$(realpath "$3")

if [[ "$what" == references ]]; then
  folder=$4 samples=${5:-1024}
  mkdir -p "$folder"
  for starter in "${starters[@]}"; do
    [[ -f "$folder/$starter.ilum" ]] || "$other" new "$starter" -o "$folder/$starter.ilum" > /dev/null
    for seed in 1001 2002; do
      picture="$folder/$starter.$size.$seed.exr"
      [[ -f "$picture" ]] && continue
      echo "$picture" >&2
      "$this" render "$folder/$starter.ilum" -o "$picture" --size "$size" --samples "$samples" --noise 0 --seed "$seed" \
        --no-lens --no-denoise --set "Picture.firefly_limit=0" > /dev/null
    done
  done
  exit
fi

bench=$(realpath "$4") folder=$5 runs=${6:-3} pictures=$folder/pictures
rm -rf "$pictures"
mkdir -p "$pictures"
median() { sort -g | awk '{v[NR] = $1} END {print NR % 2 ? v[(NR + 1) / 2] : (v[NR / 2] + v[NR / 2 + 1]) / 2}'; }
render() { # CLI NAME STARTER RUN OPTIONS...
  "$1" render "$folder/$3.ilum" -o "$pictures/$3.$2.$4.exr" --size "$size" --noise 0 --seed "$((10 + $4))" --no-lens --set "Picture.firefly_limit=0" "${@:5}" > /dev/null
}
compare() { # TITLE NAME OPTIONS...
  local kind starter run column before after values
  for kind in denoised raw; do
    [[ "$kind" == denoised || -z "${QUALITY_DENOISED_ONLY:-}" ]] || continue
    local options=("${@:3}")
    [[ "$kind" == raw ]] && options+=(--no-denoise)
    printf '\n| %s, %s, %d runs | before: all | now: all | before: without the worst | now: without | before / now | before: unlike | now: unlike |\n|---|---|---|---|---|---|---|---|\n' "$1" "$kind" "$runs"
    : > "$pictures/ratios"
    for starter in "${starters[@]}"; do
      for ((run = 0; run < runs; ++run)); do
        if ((run % 2)); then render "$this" "now.$2.$kind" "$starter" "$run" "${options[@]}"; fi
        render "$other" "before.$2.$kind" "$starter" "$run" "${options[@]}"
        if ((run % 2 == 0)); then render "$this" "now.$2.$kind" "$starter" "$run" "${options[@]}"; fi
      done
      values=()
      for column in 2 3 4; do
        for build in before now; do
          values+=("$("$bench" errors "$folder/$starter.$size."{1001,2002}.exr "$pictures/$starter.$build.$2.$kind."*.exr | awk -v c=$column '{print $c}' | median)")
        done
      done
      awk -v s="$starter" -v v="${values[*]}" 'BEGIN {split(v, a, " "); printf "| %s | %.4g | %.4g | %.4g | %.4g | %.2f | %.4g | %.4g |\n", s, a[1], a[2], a[3], a[4], a[3] / a[4], a[5], a[6]}'
      awk -v v="${values[*]}" 'BEGIN {split(v, a, " "); print a[1] / a[2], a[3] / a[4]}' >> "$pictures/ratios"
    done
    awk '{if ($1 > 0) {a += log($1); n++} if ($2 > 0) {b += log($2); m++}} END {printf "| geometric mean, before / now | | %.2f | | | %.2f | | |\n", n ? exp(a / n) : 0, m ? exp(b / m) : 0}' "$pictures/ratios"
    local sheet=()
    for starter in "${starters[@]}"; do sheet+=("$pictures/$starter."{before,now}".$2.$kind.0.exr"); done
    "$bench" sheet "$folder/sheet.$2.$kind.png" 2 "${sheet[@]}"
  done
}
for samples in ${QUALITY_SAMPLES-1 4 16 64}; do compare "$samples samples" "$samples" --samples "$samples"; done
for seconds in ${QUALITY_SECONDS-5 15 60}; do compare "$seconds s" "${seconds}s" --samples 100000 --seconds "$seconds"; done
