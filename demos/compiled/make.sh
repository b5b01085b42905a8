#!/usr/bin/env bash
# Makes marshal.elf of marshal.c, and yard.elf of yard.rs, with general compilers and linkers. Neither building nor testing
# needs this: what it makes is kept. Wants a compiler of C (clang 14 made what is here), one of Rust with the target
# riscv32im-unknown-none-elf, and a linker for ELF files.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")"
"${CC:-clang-14}" --target=riscv32 -march=rv32im -mabi=ilp32 -ffreestanding -nostdlib -fuse-ld=lld -g -O0 \
  -fdebug-compilation-dir=. -Wl,--image-base=0x10000,-z,max-page-size=4096 -o marshal.elf marshal.c
chmod -x marshal.elf
object="$(mktemp -d)/yard.o"
RUSTC_BOOTSTRAP=1 rustc --target riscv32im-unknown-none-elf --crate-type lib --emit obj -g -C opt-level=0 \
  -C overflow-checks=off -C panic=abort --remap-path-prefix "$PWD=." -o "$object" yard.rs
linker="$(find "$(rustc --print sysroot)" -name rust-lld -type f | head -n 1)"
"$linker" -flavor gnu --image-base=0x10000 -o yard.elf "$object"
