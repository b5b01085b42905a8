; Five wagons are counted past gate 2.
; It should print: wagon 1 wagon 2 wagon 3 wagon 4 wagon 5

start:  mov   r2, 5          ; wagons to come
        clr   r3             ; wagons so far
@next:  inc   r3
        call  tell
        djnz  r2, @next
        clr   r0
        sys   exit

; tell: which wagon it is, r3.
tell:   mov   r0, word
        sys   put_text
        mov   r2, r3
        mov   r0, r2
        sys   put_uint
        mov   r0, ' '
        sys   put_char
        ret

        .data
word:   .asciz "wagon "
