#!/usr/bin/env bash
# Fetches the openly licensed pictures that the networks are trained and judged on: Debian packages, unpacked and not installed.
# Usage: fetch-pictures.sh DIRECTORY
set -euo pipefail
directory=${1:?"name a directory for the pictures"}
mkdir -p "$directory"
cd "$directory"
for package in mate-backgrounds plasma-workspace-wallpapers python3-skimage ukui-wallpapers lomiri-wallpapers-16.04 lomiri-wallpapers-20.04 openclipart-svg; do
  [ -d "$package" ] && continue
  apt-get download "$package"
  dpkg -x "$package"_*.deb "$package"
  rm "$package"_*.deb
done
