; The number on the key of the gate.
; It should print: 12295

start:  ldw   r0, [key]
key:    .word 12295
        sys   put_uint
        clr   r0
        sys   exit
