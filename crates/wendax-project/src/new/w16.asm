; Axle loads are typed one a line, 0 ends; the sum is printed.

start:  clr   r6              ; the sum so far
@next:  sys   get_int
        jc    @done           ; the input has ended
        cmp   r0, 0
        jeq   @done
        add   r6, r0
        jmp   @next
@done:  mov   r0, total
        sys   put_text
        mov   r0, r6
        sys   put_uint
        clr   r0
        sys   exit

.data
total:  .asciz "total "
