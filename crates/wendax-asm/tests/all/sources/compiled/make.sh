#!/usr/bin/env bash
# Makes what is kept here of mixed.rs with a general compiler: its assembly output, and the object it makes itself. Neither
# building nor testing needs this. Wants a compiler with the target riscv32im-unknown-none-elf.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")"
compile() {
  RUSTC_BOOTSTRAP=1 rustc --target riscv32im-unknown-none-elf --crate-type lib -C panic=abort -C overflow-checks=off \
    -C debuginfo=0 "$@" mixed.rs
}
for level in 0 2; do
  compile -C code-model=small -C opt-level=$level --emit asm -o mixed$level.s
  compile -C code-model=small -C opt-level=$level --emit obj -o mixed$level.o
done
compile -C code-model=medium -C opt-level=2 --emit asm -o mixed2m.s
