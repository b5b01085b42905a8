; Ostrey yard, the weighbridge beside gate 2.
; A wagon rolls over it axle by axle. The weighman types each weight in
; hundredweight; the last axle is followed by 0. The wagon may pass when
; its axles together are no heavier than the bridge over the Wend allows.

.equ AXLES_MAX, 8            ; no wagon in the yard has more
.equ LIMIT, 560              ; hundredweight on the Wend bridge
.equ INPUT_ENDED, 6          ; what get_int fails with at the end of the input

.code
.entry open_gate

open_gate:
        mov   r0, sign
        sys   put_text
        mov   r6, axles      ; where the next weight goes
        clr   r7             ; axles so far

ask:
        mov   r0, prompt
        sys   put_text
        mov   r0, r7
        inc   r0
        sys   put_uint
        mov   r0, colon
        sys   put_text
        sys   get_int
        jc    @failed        ; C: it was no number, or there is no more
        cmp   r0, 0
        jeq   weigh          ; 0 ends the wagon
        jlt   @misread       ; no axle weighs less than nothing
        stw   [r6], r0
        add   r6, 2
        inc   r7
        cmp   r7, AXLES_MAX
        jltu  ask
        jmp   weigh
@failed:
        cmp   r0, INPUT_ENDED
        jeq   no_more        ; nobody types any more
@misread:
        mov   r0, again
        sys   put_text
        jmp   ask

weigh:
        mov   r0, axles
        mov   r1, r7
        call  wagon_weight
        stw   [total], r0
        sys   put_uint
        mov   r0, verdict_unit
        sys   put_text
        ldw   r1, [total]
        cmp   r1, LIMIT
        mov   r0, passes
        jleu  @say
        mov   r0, stays
@say:
        sys   put_text
        mov   r0, 0
        sys   exit

; wagon_weight: the sum of r1 words at r0, in r0.
; Gives r6 and r7 back as it found them.
wagon_weight:
        push  r6-r7
        mov   r6, r0
        clr   r7
        tst   r1, r1
        jz    @done          ; an empty wagon has no axles to add
@next:
        ldw   r2, [r6]
        add   r7, r2
        add   r6, 2
        djnz  r1, @next
@done:
        mov   r0, r7
        pop   r6-r7
        ret

; The input has ended where an axle was asked for: the line does too.
no_more: mov  r0, '\n'
        sys   put_char
        jmp   weigh

.data
axles:        .space 2 * AXLES_MAX
total:        .space 2
sign:         .asciz "Ostrey yard weighbridge. Weights in cwt, 0 ends the wagon.\n"
prompt:       .asciz "axle "
colon:        .asciz ": "
again:        .asciz "That is no weight; once more, please.\n"
verdict_unit: .asciz " cwt on the bridge: "
passes:       .asciz "may pass.\n"
stays:        .asciz "too heavy, stays in the yard.\n"
