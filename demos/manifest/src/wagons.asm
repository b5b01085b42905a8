; The wagons that stand ready today, as the freight list says.
; A line of list.txt is a wagon: number, goods, hundredweight, siding.

        .include "wagon.inc"
        .include "frames.inc"
        .global read_wagons, wagons
        .extern goods_names

.equ WAGONS_MAX, 16
.equ TEXT_MAX, 512

; read_wagons: reads the list; r0 is how many wagons it has, 0 without one.
read_wagons:
        ENTER r6, r8
        clr   r8             ; wagons so far
        mov   r0, list
        clr   r1             ; to be read
        sys   file_open
        jc    @done          ; no folder, or no list in it
        mov   r6, r0
        mov   r1, text
        mov   r2, TEXT_MAX
        sys   file_read
        mov   r1, text
        add   r1, r0
        clr   r2
        stb   [r1], r2       ; a NUL ends what was read
        mov   r0, r6
        sys   file_close

        mov   r4, text       ; what comes next in the list
        mov   r7, wagons     ; where the next wagon goes
@line:
        ldb   r0, [r4]
        cmp   r0, 0
        jz    @done
        cmp   r8, WAGONS_MAX
        jgeu  @done
        call  read_number
        stw   [r7 + WAGON_NUMBER], r0
        call  read_goods
        stw   [r7 + WAGON_GOODS], r0
        call  read_number
        stw   [r7 + WAGON_WEIGHT], r0
        ldb   r0, [r4]
        sub   r0, 'A'
        stw   [r7 + WAGON_SIDING], r0
        add   r4, 2          ; the letter and the end of the line
        add   r7, WAGON_SIZE
        inc   r8
        jmp   @line
@done:
        mov   r0, r8
        LEAVE r6, r8

; read_number: the number at r4, which goes behind it and a blank; in r0.
read_number:
        clr   r0
@digit:
        ldb   r1, [r4]
        inc   r4
        sub   r1, '0'
        jltu  @out           ; anything else than a digit ends it
        cmp   r1, 10
        jgeu  @out
        mul   r0, 10
        add   r0, r1
        jmp   @digit
@out:
        ret

; read_goods: which goods the word at r4 names, 0 when none; in r0. r4 goes
; behind it and a blank.
read_goods:
        clr   r0
@kind:
        mov   r1, r0
        shl   r1, 1
        ldw   r1, [r1 + goods_names]
        mov   r2, r4
@sign:
        ldb   r3, [r2]
        ldb   r5, [r1]
        inc   r1
        inc   r2
        cmp   r3, r5
        jnz   @differ
        cmp   r3, ' '        ; both words end here
        jnz   @sign
@same:
        mov   r4, r2
        ret
@differ:
        cmp   r3, ' '        ; the name may end with its NUL
        jnz   @other
        cmp   r5, 0
        jz    @same
@other:
        inc   r0
        cmp   r0, GOODS
        jltu  @kind
        clr   r0
@skip:
        ldb   r3, [r4]
        inc   r4
        cmp   r3, ' '
        jgtu  @skip
        ret

        .data
list:   .asciz "list.txt"
text:   .space TEXT_MAX + 1
        .align 2
wagons: .space WAGONS_MAX * WAGON_SIZE
