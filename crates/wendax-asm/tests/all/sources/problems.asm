start:  mov r0 5
        mov r1, FF
        mov r2, 0FFh
        ldw r0, total
        stw r0, [total]
        mov r0, [total]
        muv r0, 1
        sys put_txet
        jmp  odd
        mov r0, 70000
Totl    mov r0, 1
        mov r0, Total
        mov r0, toal
        .ascii "open
        add r0, 5 // what
# comment
        add r0, $12
start:  nop
        mov r0, (1 + 2
        mov r0, 1)
        ldw r1, [r2 + r3]
        push r3-r1
        mov r0, 1 2
        .byte 300, -129, "x"
        .wrod 1
lone
@x:     jmp @y
        mov r0, 1 / 0
        .equ A, B
        .equ B, A + 1
X = 5
        mov r0, 'ab'
        mov r0, %101
        mov r9, 1 +
        foo
        djnz 5, start
        mov r0, 7 ? 3
.data
total:  .word 1
        .byte 1
odd:    .byte 1
r5:     .byte 2
