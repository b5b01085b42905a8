; The frost alarm: which of four mornings were below zero.
; It should print: -3 -12

start:  mov   r6, mornings
        mov   r7, 4
@next:  ldw   r0, [r6]
        cmp   r0, 0
        jgeu  @warm
        sys   put_int
        mov   r0, ' '
        sys   put_char
@warm:  add   r6, 2
        djnz  r7, @next
        clr   r0
        sys   exit

        .data
mornings:
        .word 4, -3, 0, -12
