; Two weights, for RV32: one is kept while the other is printed.
; It should print: 7 42
        .target rv32

_start: addi  sp, sp, -16
        li    t0, 42
        sw    t0, 12(sp)
        li    a0, 7
        call  show
        lw    a0, 12(sp)
        call  show
        addi  sp, sp, 16
        li    a0, 0
        sys   exit

; show: prints a0 and a blank.
show:   addi  sp, sp, -16
        sw    ra, 12(sp)
        sys   put_int
        li    a0, ' '
        sys   put_char
        lw    ra, 12(sp)
        addi  sp, sp, 12
        ret
