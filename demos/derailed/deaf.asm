; Asks how many wagons there are, and prints their axles, two to a wagon. Type a name instead of a number.
; It should print: this is no number

start:  sys   get_int
        mov   r6, r0
        add   r6, r6
        mov   r0, r6
        sys   put_int
        clr   r0
        sys   exit
