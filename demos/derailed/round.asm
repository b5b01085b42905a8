; A bell for each of four wagons.
; It should print: ....

start:  clr   r6
@next:  mov   r7, 4
        mov   r0, '.'
        sys   put_char
        inc   r6
        cmp   r6, 500
        jeq   @tired
        djnz  r7, @next
@tired: clr   r0
        sys   exit
