; The driver's name is asked for, and the fee of two pence is kept meanwhile.
; Type a name of eight letters, such as Penelope.
; It should print: Penelope pays 2

start:  mov   r0, name
        mov   r1, 9          ; eight letters and the NUL
        sys   get_line
        mov   r0, name
        sys   put_text
        mov   r0, pays
        sys   put_text
        ldb   r0, [fee]
        sys   put_uint
        clr   r0
        sys   exit

        .data
name:   .space 8
fee:    .byte 2
pays:   .asciz " pays "
