; The wagons of three trains are doubled for the way back, and the most a siding takes is looked up between.
; It should print: 6 of 9

start:  mov   r0, 3
        call  twice
        mov   r6, r0
        mov   r0, r6
        sys   put_uint
        mov   r0, of
        sys   put_text
        call  most
        sys   put_uint
        clr   r0
        sys   exit

; Twice as many as r0.
twice:  add   r0, r0

; As many wagons as a siding takes.
most:   mov   r0, 9
        ret

        .data
of:     .asciz " of "
