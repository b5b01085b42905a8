start:  mov   r0, loads
        mov   r1, 3
        call  largest
        sys   put_int
        clr   r0
        sys   exit

; Each load is held against the one found so far, from the last to the first.
largest:
        mov   r4, r1
        dec   r4
        shl   r4, 1
        add   r4, r0
        ldw   r3, [r4]
@back:  cmp   r4, r0
        jleu  @done
        sub   r4, 2
        ldw   r5, [r4]
        cmp   r5, r3
        jlt   @back
        mov   r3, r5
        jmp   @back
@done:  mov   r0, r3
        ret

        .data
loads:  .word 12, -3, 7
        .space 20
