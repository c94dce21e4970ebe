#!/usr/bin/env bash
# The same pictures, to the bit: renders every starter small with all its passes, by one ilumbra-cli into one folder.
# usage: bench/pictures.sh CLI FOLDER           renders
#        bench/pictures.sh CLI FOLDER BEFORE    renders, and compares with what another has rendered into BEFORE
set -euo pipefail
cli=$(realpath "$1") folder=$2 before=${3:-}
mkdir -p "$folder"
differ=0
# A picture states when it was made.
undated() { LC_ALL=C sed -E 's/[0-9]{4}(:[0-9]{2}){2} [0-9]{2}(:[0-9]{2}){2}//g' "$1" | sha256sum; }
for starter in $("$cli" starters | cut -d' ' -f1); do
  document="$folder/$starter.ilum"
  "$cli" new "$starter" -o "$document" > /dev/null
  "$cli" render "$document" -o "$folder/$starter.exr" --size 96x64 --samples 4 --seed 7 --passes all > /dev/null
  if [[ -n "$before" ]] && [[ $(undated "$folder/$starter.exr") != $(undated "$before/$starter.exr") ]]; then
    echo "$starter differs" >&2
    differ=$((differ + 1))
  fi
done
[[ -z "$before" ]] || echo "$differ pictures differ"
[[ $differ -eq 0 ]]
