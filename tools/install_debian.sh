#!/bin/sh
# Installs Debian packages: install_debian.sh NAME...
# Another program may hold the package manager's locks for a while; this waits up to five minutes for each.
set -eu
tries=60
until said=$(apt-get update -qq 2>&1); do
    tries=$((tries - 1))
    case $said in
    *"Could not get lock"*) [ "$tries" -gt 0 ] && sleep 5 && continue ;;
    esac
    printf '%s\n' "$said" >&2
    exit 1
done
DEBIAN_FRONTEND=noninteractive apt-get -o DPkg::Lock::Timeout=300 install -y -qq --no-install-recommends "$@" >/dev/null
