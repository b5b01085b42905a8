; Every wagon is greeted with a bell for each of its axles, for a whole day.
; It should print: .... four dots for each of 6000 wagons, and end

start:  mov   r7, 6000
@wagon: mov   r6, 4
@axle:  push  r6
        mov   r0, '.'
        sys   put_char
        djnz  r6, @axle
        pop   r6
        djnz  r7, @wagon
        clr   r0
        sys   exit
