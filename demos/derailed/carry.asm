; Two counts of wagons since the yard was opened are added; both are larger
; than a word holds, and so lie in two: low word, high word.
; It should print: high 3 low 4464

start:  ldw   r0, [west]
        ldw   r1, [west + 2]
        ldw   r2, [east]
        ldw   r3, [east + 2]
        add   r0, r2
        add   r1, r3
        mov   r6, r0
        mov   r0, high
        sys   put_text
        mov   r0, r1
        sys   put_uint
        mov   r0, low
        sys   put_text
        mov   r0, r6
        sys   put_uint
        clr   r0
        sys   exit

        .data
west:   .word 40000, 1       ; 105536
east:   .word 30000, 1       ; 95536
high:   .asciz "high "
low:    .asciz " low "
