; The weights of three wagons are added to the total of the train.
; It should print: 776

start:  mov   r6, weights
        mov   r7, 3
        clr   r8
@next:  ldw   r0, [r6]
        call  in_cwt
        add   r8, r0
        add   r6, 2
        djnz  r7, @next
        mov   r0, r8
        sys   put_uint
        clr   r0
        sys   exit

; in_cwt: r0 stones as hundredweight, rounded down, in r0.
in_cwt: mov   r6, 8          ; stones of a hundredweight
        div   r0, r6
        ret

        .data
weights:
        .word 2496, 1504, 2208
