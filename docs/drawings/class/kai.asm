start:  mov   r0, loads
        mov   r1, 3
        call  largest
        sys   put_int
        clr   r0
        sys   exit

largest:
        ldw   r2, [r0]
@next:  ldw   r3, [r0]
        cmp   r3, r2
        jle   @less
        mov   r2, r3
@less:  add   r0, 2
        jmp   @next   
        mov   r0, r2
        ret

        .data
loads:  .word 12, -3, 7
        .space 20
