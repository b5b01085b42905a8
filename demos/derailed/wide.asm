; The axles of six wagons are counted; each count is a byte.
; It should print: 20

start:  mov   r6, axles
        mov   r7, 6
        clr   r1
@next:  ldw   r0, [r6]
        add   r1, r0
        add   r6, 2
        djnz  r7, @next
        mov   r0, r1
        sys   put_uint
        clr   r0
        sys   exit

        .data
axles:  .byte 4, 2, 4, 4, 2, 4
        .space 6
