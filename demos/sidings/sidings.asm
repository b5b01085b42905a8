; Ostrey yard, sorting a train: the wagons are set out by weight, lightest
; first, by one of two methods. The argument says which: insert or merge.

.equ WAGONS, 24
.equ METHOD_MAX, 16

        .code
start:  sys   arg_count
        cmp   r0, 1
        jltu  usage
        clr   r0             ; the first argument
        mov   r1, method
        mov   r2, METHOD_MAX
        sys   arg_copy
        jc    usage
        ldb   r4, [method]
        mov   r0, wagons
        mov   r1, WAGONS
        cmp   r4, 'i'
        jz    @insert
        cmp   r4, 'm'
        jnz   usage
        call  merge_sort
        jmp   @sorted
@insert:
        call  insert_sort
@sorted:
        call  print_train
        clr   r0
        sys   exit

usage:  mov   r0, how
        sys   put_text
        mov   r0, 2
        sys   exit

; insert_sort: r1 words at r0, least first. Every wagon is pushed back past
; the heavier ones before it.
insert_sort:
        push  r6-r8
        mov   r6, r0
        mov   r7, 2          ; where the next wagon stands, from r6
        mov   r8, r1
        shl   r8, 1          ; the end
@next:  cmp   r7, r8
        jgeu  @out
        mov   r2, r6
        add   r2, r7
        ldw   r3, [r2]       ; the wagon to be placed
@back:  cmp   r2, r6
        jleu  @place
        ldw   r4, [r2 - 2]
        cmp   r4, r3
        jleu  @place
        stw   [r2], r4       ; a heavier one makes room
        sub   r2, 2
        jmp   @back
@place: stw   [r2], r3
        add   r7, 2
        jmp   @next
@out:   pop   r6-r8
        ret

; merge_sort: r1 words at r0, least first. Both halves are sorted, then run
; together through the spare track.
merge_sort:
        cmp   r1, 2
        jltu  @out
        push  r6-r9
        mov   r6, r0         ; first half
        mov   r7, r1
        shr   r7, 1          ; wagons in it
        mov   r8, r7
        shl   r8, 1
        add   r8, r6         ; second half
        mov   r9, r1
        sub   r9, r7         ; wagons in that
        mov   r1, r7
        call  merge_sort
        mov   r0, r8
        mov   r1, r9
        call  merge_sort
        mov   r0, r6
        mov   r1, r7
        mov   r2, r8
        mov   r3, r9
        call  merge
        pop   r6-r9
@out:   ret

; merge: r1 words at r0 and r3 words at r2, both in order and the second
; behind the first, become one row in order.
merge:  push  r6-r9
        push  r0
        mov   r6, spare
        mov   r7, r1
        add   r7, r3         ; wagons altogether
        mov   r8, r7
@next:  cmp   r1, 0
        jz    @second
        cmp   r3, 0
        jz    @first
        ldw   r4, [r0]
        ldw   r5, [r2]
        cmp   r4, r5
        jgtu  @second
@first: ldw   r4, [r0]
        add   r0, 2
        dec   r1
        jmp   @take
@second:
        ldw   r4, [r2]
        add   r2, 2
        dec   r3
@take:  stw   [r6], r4
        add   r6, 2
        djnz  r7, @next
        pop   r0
        mov   r6, spare
@copy:  ldw   r4, [r6]
        stw   [r0], r4
        add   r6, 2
        add   r0, 2
        djnz  r8, @copy
        pop   r6-r9
        ret

; print_train: the weights, eight in a line.
print_train:
        push  r6-r8
        mov   r6, wagons
        mov   r7, WAGONS
        mov   r8, 8
@next:  ldw   r0, [r6]
        sys   put_uint
        add   r6, 2
        mov   r0, ' '
        dec   r8
        jnz   @gap
        mov   r8, 8
        mov   r0, '\n'
@gap:   sys   put_char
        djnz  r7, @next
        pop   r6-r8
        ret

        .data
        .align 2
wagons: .word 312, 188, 204, 276, 448, 455, 240, 197
        .word 366, 142, 501, 233, 287, 419, 158, 374
        .word 265, 330, 211, 487, 176, 398, 254, 349
        .assert sizeof(wagons) == 2 * WAGONS, "as many wagons as WAGONS says"
spare:  .space 2 * WAGONS
method: .space METHOD_MAX
how:    .asciz "Say how the train is to be sorted: insert or merge.\n"
