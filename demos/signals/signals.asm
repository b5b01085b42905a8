; Ostrey yard, the signal box.
;
; Levers 0 to 2 set the route: the number of a siding, 1 to 7, in binary.
; Lever 4 clears the signal of that siding; it falls back by itself when
; the time shown on the left has run out, or when lever 4 goes down.
; Lamps 1 to 7 are the signals, lamp 15 beats while the box is alive.
; The key q ends the shift.

        .equ  KEYS, 0xFF10   ; console: state and data
        .equ  KEY, 0xFF12
        .equ  PERIOD, 0xFF22 ; timer: cycles of a period
        .equ  TIMER, 0xFF24  ; timer: control
        .equ  LAMPS, 0xFF30
        .equ  LEVERS, 0xFF32
        .equ  LEVER_MASK, 0xFF34
        .equ  DIGITS, 0xFF38

        .equ  TICK, 50_000   ; twenty ticks a second at one megahertz
        .equ  BEAT, 0x8000   ; the lamp that beats
        .equ  CLEAR, 0x10    ; the lever that clears
        .equ  SECONDS, 9     ; a signal stays clear so long

        .code
start:  mov   r0, tick       ; whom the interrupts call
        stw   [16], r0
        mov   r0, key
        stw   [18], r0
        mov   r0, moved
        stw   [20], r0
        mov   r0, 0x17       ; levers 0, 1, 2 and 4 ask
        stw   [LEVER_MASK], r0
        mov   r0, 0x10       ; so do keys
        stw   [KEYS], r0
        mov   r0, TICK
        stw   [PERIOD], r0
        mov   r0, 3          ; the timer runs and asks
        stw   [TIMER], r0
        call  show
        ei

idle:   ldw   r0, [over]     ; all work is done by the handlers
        cmp   r0, 0
        jz    idle
        di
        mov   r0, farewell
        sys   put_text
        clr   r0
        sys   exit

; A tick: the lamp beats, and every twentieth tick is a second.
tick:   push  r0-r3
        mov   r0, 7          ; goes on running, expiry cleared
        stw   [TIMER], r0
        ldw   r0, [ticks]
        inc   r0
        cmp   r0, 20
        jltu  @keep
        clr   r0
        call  second
@keep:  stw   [ticks], r0
        tst   r0, 7          ; beats a few times a second
        jnz   @done
        ldw   r0, [lamps]
        xor   r0, BEAT
        stw   [lamps], r0
@done:  call  show
        pop   r0-r3
        reti

; A second has passed: the clear signal comes nearer to danger.
; Keeps r0.
second: ldw   r1, [left]
        cmp   r1, 0
        jz    @out
        dec   r1
        stw   [left], r1
        jnz   @out
        ldw   r2, [lamps]    ; time is up
        and   r2, BEAT
        stw   [lamps], r2
@out:   ret

; A lever was moved.
moved:  push  r0-r3
        ldw   r0, [LEVERS]
        mov   r1, r0
        and   r1, 7
        stw   [siding], r1
        ldw   r2, [lamps]
        and   r2, BEAT       ; every signal to danger first
        clr   r3
        tst   r0, CLEAR
        jz    @set
        cmp   r1, 0          ; no siding, no signal
        jz    @set
        mov   r3, 1
        shl   r3, r1
        or    r2, r3
        mov   r3, SECONDS
@set:   stw   [lamps], r2
        stw   [left], r3
        call  show
        pop   r0-r3
        reti

; A key was struck.
key:    push  r0
        ldw   r0, [KEY]
        cmp   r0, 'q'
        jnz   @out
        stw   [over], r0
@out:   pop   r0
        reti

; Lamps and digits show what is so: the seconds left, and the siding.
; Changes r0 to r3.
show:   push  r0
        ldw   r0, [lamps]
        stw   [LAMPS], r0
        ldw   r1, [left]
        ldb   r2, [segments + r1]
        stw   [DIGITS], r2
        ldw   r1, [siding]
        ldb   r2, [segments + r1]
        stw   [DIGITS + 6], r2
        pop   r0
        ret

        .data
lamps:  .word 0
left:   .word 0              ; seconds until the signal falls back
siding: .word 0
ticks:  .word 0
over:   .word 0
farewell:
        .asciz "The shift is over; all signals stand at danger.\n"
; Segments of the digits 0 to 9: bit 0 top, then clockwise, bit 6 the middle.
segments:
        .byte 0x3F, 0x06, 0x5B, 0x4F, 0x66, 0x6D, 0x7D, 0x07, 0x7F, 0x6F
