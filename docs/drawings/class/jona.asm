start:  mov   r0, loads
        mov   r1, 3
        call  largest
        sys   put_int
        clr   r0
        sys   exit

largest:
        mov   r2, r1
        dec   r2
        shl   r2, 1
        add   r2, r0
        ldw   r3, [r2]
@up:  cmp   r2, r0
        jleu  @end
        sub   r2, 2
        ldw   r4, [r2]
        cmp   r4, r3
        jlt   @up
        mov   r3, r4
        jmp   @up
@end:  mov   r0, r3
        ret

        .data
loads:  .word 12, -3, 7
        .space 20
