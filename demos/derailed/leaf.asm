; The rows of a train, for RV32: three marks for each of two wagons.
; It should print: ### ###
        .target rv32

_start: li    s0, 2
next:   call  row
        addi  s0, s0, -1
        bnez  s0, next
        li    a0, 0
        sys   exit

row:    li    s1, 3
1:      call  mark
        addi  s1, s1, -1
        bnez  s1, 1b
        li    a0, ' '
        sys   put_char
        ret

mark:   li    a0, '#'
        sys   put_char
        ret
