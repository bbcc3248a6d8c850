# Runs as the first process of a host: makes its own copies of what it changes, sets it up, and
# becomes sshd.
set -eu
dir=$1 name=$2 port=$3
mount --make-rprivate /
mount -t proc proc /proc
hostname "${name%%.*}"
rm -rf "$dir/etc"
cp -a /etc "$dir/etc"
for file in passwd shadow group gshadow; do # without the people of this machine
  awk -F: 'NR == FNR { if ($3 >= 1000 && $3 < 65534) gone[$1] = 1; next } !($1 in gone)' /etc/passwd "/etc/$file" >"$dir/etc/$file"
done
mount --bind "$dir/etc" /etc
for at in /home /run /var/log /var/mail /opt /srv; do mkdir -p $at && mount -t tmpfs -o mode=755 tmpfs $at; done
mkdir -p /var/lib/sudo && mount -t tmpfs -o mode=711 tmpfs /var/lib/sudo
mkdir -p /run/sshd /run/sudo /etc/ssh/keys
printf '127.0.0.1 localhost\n127.0.1.1 %s %s\n' "$name" "${name%%.*}" >/etc/hosts
rm -f /etc/ssh/ssh_host_* /etc/sudoers.d/* /etc/nologin
cp "$dir/host" /etc/ssh/ssh_host_ed25519_key
chmod 600 /etc/ssh/ssh_host_ed25519_key
cp "$dir/account.pub" /etc/ssh/keys/all
cat >/etc/ssh/sshd_config <<END
Port $port
ListenAddress 127.0.0.1
HostKey /etc/ssh/ssh_host_ed25519_key
AuthorizedKeysFile /etc/ssh/keys/all
StrictModes no
UsePAM yes
PasswordAuthentication no
MaxStartups 100
PrintMotd no
Include /etc/ssh/sshd_config.d/*.conf
END
useradd --system --create-home --shell /bin/sh --password '*' gatemap
cat >/etc/sudoers.d/gatemap <<'END'
gatemap ALL=(root) NOPASSWD: /usr/bin/getent shadow, /usr/sbin/sshd -T, /usr/sbin/sshd ^-T -C [^ ]+$, /usr/bin/cvtsudoers -f json /etc/sudoers
END
. "$dir/setup"
chmod 440 /etc/sudoers.d/*
visudo -c >/dev/null
exec /usr/sbin/sshd -D -e
