#!/usr/bin/env bash
# Installs the Debian packages that the tests need, or says which are missing.
set -euo pipefail
declare -A package=([curl]=curl [jq]=jq [chromium]=chromium [systemd-analyze]=systemd [man]=man-db [/usr/sbin/slapd]=slapd [ldapadd]=ldap-utils [faketime]=faketime [sudo]=sudo [/usr/sbin/sshd]=openssh-server [samba-tool]="samba samba-ad-provision samba-dsdb-modules samba-vfs-modules")
missing=()
for tool in "${!package[@]}"; do
  command -v "$tool" >/dev/null && continue
  read -ra needed <<<"${package[$tool]}"
  missing+=("${needed[@]}")
done
compgen -G '/usr/lib/postgresql/*/bin/initdb' >/dev/null || missing+=(postgresql)
[ ${#missing[@]} -eq 0 ] && exit 0
if [ "$(id -u)" -ne 0 ]; then
  echo "The tests need these Debian packages: ${missing[*]}" >&2
  echo "Install them: sudo apt-get install --no-install-recommends ${missing[*]}" >&2
  exit 1
fi
echo "Installing ${missing[*]} for the tests …"
export DEBIAN_FRONTEND=noninteractive
# The tests start clusters of their own: none is wanted besides.
if [ ! -e /etc/postgresql-common/createcluster.conf ]; then
  mkdir -p /etc/postgresql-common
  echo "create_main_cluster = false" >/etc/postgresql-common/createcluster.conf
fi
apt-get update -qq
apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
