; First steps at the Ostrey yard. F1 shows and hides what to try; nothing here can be broken.

        .entry start
start:  mov   r0, 5          ; a number goes into a register
        mov   r1, wagons     ; the address of wagons, not what lies there
        ldw   r2, [wagons]   ; what lies there
        add   r2, r0
        clr   r4             ; 0, to begin with
        stw   [wagons], r2   ; and back to where it came from
        cmp   r2, 20         ; fewer than 20 wagons?
        jlt   few
        mov   r3, 9          ; many: nine rounds
        jmp   rounds
few:    mov   r3, 4          ; few: four rounds

rounds: add   r4, r0         ; five more in each round
        djnz  r3, rounds     ; one less to go, until there is none

ask:    mov   r0, question
        sys   put_text
        sys   get_int        ; C says whether it was a number
        jc    wrong
        mov   r5, r0
        call  double
        mov   r0, r5
        sys   put_int
        mov   r0, 0
        sys   exit

wrong:  mov   r0, sorry
        sys   put_text
        jmp   ask

double: push  r0             ; put by, to be given back
        mov   r0, r5
        add   r5, r0
        pop   r0             ; given back
        ret

        .data
wagons:   .word 12
question: .asciz "How many axles? "
sorry:    .asciz "That was no number.\n"
