; The load of a train of five wagons.
; It should print: 1428

start:  mov   r6, loads
        clr   r7
@next:  ldw   r0, [r6]
        add   r7, r0
        add   r6, 2
        cmp   r6, loads_end
        jleu  @next
        mov   r0, r7
        sys   put_uint
        clr   r0
        sys   exit

        .data
loads:  .word 312, 188, 204, 276, 448
loads_end:
limit:  .word 2400           ; what the engine pulls
