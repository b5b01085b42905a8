; The heavier of two axles is printed, twice.
; It should print: 212 212

start:  mov   r0, 185
        mov   r1, 212
        call  heavier
        call  print
        mov   r0, 212
        mov   r1, 185
        call  heavier
        call  print
        clr   r0
        sys   exit

; heavier: the greater of r0 and r1, in r0.
heavier:
        push  r6
        mov   r6, r1
        cmp   r0, r6
        jgtu  @done
        mov   r0, r6
        pop   r6
@done:  ret

print:  sys   put_uint
        mov   r0, ' '
        sys   put_char
        ret
