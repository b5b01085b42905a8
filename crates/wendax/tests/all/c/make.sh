#!/usr/bin/env bash
# Makes the programs that are kept here, at no and at some optimisation, with a general compiler and linker (clang 14 and its
# own). Neither building nor testing needs this: what it makes is kept.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")"
here="$(mktemp -d)"
cp ./*.c ../../../../../demos/compiled/*.[ch] "$here"
for level in 0 2; do
  for program in marshal ledger points; do
    (cd "$here" && "${CC:-clang-14}" --target=riscv32 -march=rv32im -mabi=ilp32 -ffreestanding -nostdlib -fuse-ld=lld \
      -g "-O$level" -fdebug-compilation-dir=. -Wl,--image-base=0x10000,-z,max-page-size=4096 \
      -o "$program$level.elf" "$program.c")
    cp "$here/$program$level.elf" .
  done
done
# The demo has this one.
rm marshal0.elf
chmod -x ./*.elf
