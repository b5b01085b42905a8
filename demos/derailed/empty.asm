; A bell for each wagon of three trains, of which one has none today, and a stroke behind each train.
; It should print: ...||..|

start:  mov   r6, trains
        mov   r7, 3
@train: ldw   r8, [r6]
@wagon: mov   r0, '.'
        sys   put_char
        djnz  r8, @wagon
        mov   r0, '|'
        sys   put_char
        add   r6, 2
        djnz  r7, @train
        clr   r0
        sys   exit

        .data
trains: .word 3, 0, 2
