; The fee of five wagons at two pence each; on Sundays it is three.
; It should print: 10

start:  mov   r6, 5
        ldw   r1, [sunday]
        cmp   r1, 0
        jeq   @fee
        mov   r7, 3
@fee:   mul   r6, r7
        mov   r0, r6
        sys   put_uint
        clr   r0
        sys   exit

        .data
sunday: .word 0
