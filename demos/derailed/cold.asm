; The coldest of five mornings is looked for.
; It should print: -9

start:  mov   r6, mornings
        mov   r7, 5
        mov   r1, 100        ; nothing is warmer
@next:  ldw   r2, [r6]
        cmp   r2, r1
        jgeu  @warm
        mov   r1, r2
@warm:  add   r6, 2
        djnz  r7, @next
        mov   r0, r1
        sys   put_int
        clr   r0
        sys   exit

        .data
mornings:
        .word 4, -3, 6, -9, 1
