; A timer counts while the loads, in stones, are added as hundredweight, and
; must not be noticed.
; It should print: 1428

        .equ  PERIOD, 0xFF22
        .equ  TIMER, 0xFF24

start:  mov   r0, tick
        stw   [16], r0
        mov   r0, 40
        stw   [PERIOD], r0
        mov   r0, 3
        stw   [TIMER], r0
        ei
        mov   r6, loads
        mov   r7, 5
        clr   r1
@next:  ldw   r0, [r6]
        div   r0, 8          ; stones of a hundredweight
        add   r6, 2
        add   r1, r0
        djnz  r7, @next
        di
        mov   r0, r1
        sys   put_uint
        clr   r0
        sys   exit

; tick: counts a period.
tick:   mov   r0, 7
        stw   [TIMER], r0
        ldw   r0, [count]
        inc   r0
        stw   [count], r0
        reti

        .data
count:  .word 0
loads:  .word 2496, 1504, 1632, 2208, 3584
