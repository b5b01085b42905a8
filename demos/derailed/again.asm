; The bells of nested sidings, for RV32: each tells its depth, and of the one within.
; It should print: 321.
        .target rv32

_start: li    a0, 3
        call  siding
        li    a0, '.'
        sys   put_char
        li    a0, 0
        sys   exit

; Prints its depth, and what lies within.
siding: sw    ra, back, t0
        mv    t1, a0
        addi  a0, a0, '0'
        sys   put_char
        addi  a0, t1, -1
        beqz  a0, 1f
        call  siding
1:      lw    ra, back
        ret

        .data
back:   .word 0
