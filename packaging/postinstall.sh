#!/bin/sh
set -e
systemd-sysusers gatemap.conf
systemd-tmpfiles --create gatemap.conf
if [ -d /run/systemd/system ]; then
  systemctl daemon-reload
  if [ -n "$2" ]; then
    systemctl try-restart gatemap.service
  else
    echo "Gate Map is installed. Start it:  systemctl enable --now gatemap"
    echo "Its first token is shown once, in the log:  journalctl -u gatemap"
  fi
fi
