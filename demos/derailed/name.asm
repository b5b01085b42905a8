; The wagons on both sidings, and which has more of them.
; It should print: 19, the west

start:  mov   r6, west
        ldw   r7, [east]
        mov   r0, r6
        add   r0, r7
        sys   put_uint
        mov   r0, west_text
        cmp   r6, r7
        jgtu  @say
        mov   r0, east_text
@say:   sys   put_text
        clr   r0
        sys   exit

        .data
west:   .word 12
east:   .word 7
west_text:
        .asciz ", the west"
        .align 2
east_text:
        .asciz ", the east"
