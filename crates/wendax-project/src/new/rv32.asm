# Axle loads are typed one a line, 0 ends; the sum is printed.
.target rv32

_start: li    s0, 0            # the sum so far
1:      sys   get_int
        bnez  a1, 2f           # the input has ended
        beqz  a0, 2f
        add   s0, s0, a0
        j     1b
2:      la    a0, total
        sys   put_text
        mv    a0, s0
        sys   put_uint
        li    a0, 0
        sys   exit

.data
total:  .asciz "total "
