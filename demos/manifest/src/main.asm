; The freight manifest of Ostrey yard.
; The list of the wagons is read from a file. Every wagon is printed with its
; goods, weight and siding, then the weight that goes to each siding, which is
; written to a report too, and last whether the train is too heavy.

        .include "wagon.inc"
        .include "frames.inc"

        .extern read_wagons, wagons, write_report
        .global goods_names
        .extern print_padded, print_text, new_line
        .extern siding_totals, add_to_siding

.equ TRAIN_LIMIT, 2400       ; hundredweight the engine pulls up to Ostrey

start:
        call  read_wagons
        mov   r7, r0
        cmp   r7, 0
        jnz   @list
        SAY   no_list
        mov   r0, 1
        sys   exit
@list:
        SAY   title
        mov   r6, wagons
        clr   r8             ; the whole train
@next:
        mov   r0, r6
        call  print_wagon
        ldw   r0, [r6 + WAGON_SIDING]
        ldw   r1, [r6 + WAGON_WEIGHT]
        add   r8, r1
        call  add_to_siding
        add   r6, WAGON_SIZE
        djnz  r7, @next

        SAY   by_siding
        clr   r7
@siding:
        mov   r0, r7
        add   r0, 'A'
        sys   put_char
        mov   r0, r7
        shl   r0, 1
        ldw   r0, [r0 + siding_totals]
        mov   r1, 8
        call  print_padded
        call  new_line
        inc   r7
        cmp   r7, SIDINGS
        jltu  @siding

        call  write_report
        SAY   whole
        mov   r0, r8
        mov   r1, 8
        call  print_padded
        mov   r0, fits
        cmp   r8, TRAIN_LIMIT
        jleu  @say
        mov   r0, too_heavy
@say:
        call  print_text
        clr   r0
        sys   exit

; print_wagon: one line about the wagon at r0.
print_wagon:
        ENTER r6
        mov   r6, r0
        ldw   r0, [r6 + WAGON_NUMBER]
        mov   r1, 5
        call  print_padded
        SAY   gap
        ldw   r0, [r6 + WAGON_GOODS]
        shl   r0, 1
        ldw   r0, [r0 + goods_names]
        call  print_text
        ldw   r0, [r6 + WAGON_WEIGHT]
        mov   r1, 6
        call  print_padded
        SAY   to_siding
        ldw   r0, [r6 + WAGON_SIDING]
        add   r0, 'A'
        sys   put_char
        call  new_line
        LEAVE r6

        .data
goods_names: .word coal, timber, grain, slate
        .assert sizeof(goods_names) == 2 * GOODS, "every kind of goods needs a name"
coal:      .asciz "coal  "
timber:    .asciz "timber"
grain:     .asciz "grain "
slate:     .asciz "slate "
no_list:   .asciz "There is no freight list for today.\n"
title:     .asciz "wagon goods    cwt siding\n"
gap:       .asciz " "
to_siding: .asciz " "
by_siding: .asciz "\nsiding  cwt\n"
whole:     .asciz "\ntrain    "
fits:      .asciz " cwt, the engine pulls it\n"
too_heavy: .asciz " cwt, too heavy: send it in two parts\n"
