; Which of the three sidings is meant by a letter.
; It should print: siding C: far side

start:  mov   r0, 'C'
        sub   r0, 'A'
        shl   r0, 1
        ldw   r0, [sidings + r0]
        jmp   r0

near:   mov   r0, is_near
        jmp   say
middle: mov   r0, is_middle
        jmp   say
far:    mov   r0, is_far
say:    sys   put_text
        clr   r0
        sys   exit

        .data
sidings:
        .word near, middle
is_near:
        .asciz "siding A: at the gate"
is_middle:
        .asciz "siding B: behind the shed"
is_far: .asciz "siding C: far side"
