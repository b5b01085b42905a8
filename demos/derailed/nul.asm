; The sign at the gate.
; It should print: Gate 2 is open.

start:  mov   r0, sign
        sys   put_text
        clr   r0
        sys   exit

        .data
sign:   .ascii "Gate 2 is open."
night:  .asciz " At night ring twice."
