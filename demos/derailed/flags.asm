; How many of five wagons are heavier than 250 hundredweight.
; It should print: 3

start:  mov   r6, loads
        mov   r7, 5
        clr   r8
@next:  ldw   r0, [r6]
        cmp   r0, 250
        add   r6, 2
        jleu  @light
        inc   r8
@light: djnz  r7, @next
        mov   r0, r8
        sys   put_uint
        clr   r0
        sys   exit

        .data
loads:  .word 312, 188, 204, 276, 448
