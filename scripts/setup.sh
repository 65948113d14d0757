#!/usr/bin/env bash
# Everything a fresh Debian machine needs: system packages and the virtual environment.
set -euo pipefail
cd "$(dirname "$0")/.."

missing=()
while read -r package; do
  [ -n "$package" ] || continue
  dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'ok installed' || missing+=("$package")
done < scripts/system-packages.txt
python3 -c 'import ensurepip, venv' 2>/dev/null || missing+=(python3-venv)

install_missing() {
  [ ${#missing[@]} -gt 0 ] || return 0
  local sudo=""
  [ "$(id -u)" -eq 0 ] || sudo="sudo"
  echo "Installing system packages: ${missing[*]}"
  # another apt at work holds a lock for a while: it is waited for
  for try in $(seq 60); do
    $sudo apt-get update -qq -o DPkg::Lock::Timeout=600 && break
    [ "$try" -lt 60 ] || return 1
    echo "Another package manager is at work: trying again in 10 s"
    sleep 10
  done
  $sudo env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends \
    -o DPkg::Lock::Timeout=600 "${missing[@]}"
}

install_python() {
  [ -x .venv/bin/python ] || python3 -m venv .venv
  # packages are compiled as they are imported: most of their modules never are
  .venv/bin/python -m pip install -q --disable-pip-version-check --no-compile -r requirements.lock
  .venv/bin/python -m pip install -q --disable-pip-version-check --no-deps -e .
}

# both at once, unless one needs the other
if [[ " ${missing[*]-} " == *" python3-venv "* ]]; then
  install_missing
  missing=()
fi
trap wait EXIT  # apt is not left alone with its lock where pip fails
install_missing &
system=$!
install_python
wait "$system"
touch .venv/installed
