#!/usr/bin/env bash
# Makes yard.elf of yard.rs with a general compiler and linker. Neither building nor testing needs this: what it makes is
# kept. Wants a compiler with the target riscv32im-unknown-none-elf, and a linker for ELF files.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")"
object="$(mktemp -d)/yard.o"
RUSTC_BOOTSTRAP=1 rustc --target riscv32im-unknown-none-elf --crate-type lib --emit obj -g -C opt-level=0 \
  -C overflow-checks=off -C panic=abort --remap-path-prefix "$PWD=." -o "$object" yard.rs
linker="$(find "$(rustc --print sysroot)" -name rust-lld -type f | head -n 1)"
"$linker" -flavor gnu --image-base=0x10000 -o yard.elf "$object"
