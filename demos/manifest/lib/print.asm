; Routines for printing. They change r0 to r5 and give back the others.

        .global print_text, print_padded, new_line

; print_text: the text at r0, up to its NUL.
print_text:
        sys   put_text
        ret

; new_line: goes on at the margin.
new_line:
        mov   r0, '\n'
        sys   put_char
        ret

; print_padded: r0 unsigned, with blanks before it up to r1 signs.
print_padded:
        push  r6-r8
        mov   r6, r0
        mov   r7, r1
        mov   r8, 1          ; how many digits
        mov   r2, r0
@digits:
        div   r2, 10
        jz    @counted
        inc   r8
        jmp   @digits
@counted:
        cmp   r8, r7
        jgeu  @number
        mov   r0, ' '
        sys   put_char
        dec   r7
        jmp   @counted
@number:
        mov   r0, r6
        sys   put_uint
        pop   r6-r8
        ret

        .global format_padded

; format_padded: r0 unsigned as r2 signs at r1, with blanks before it.
format_padded:
        add   r1, r2
@digit:
        mov   r3, r0
        mod   r3, 10
        add   r3, '0'
        dec   r1
        stb   [r1], r3
        dec   r2
        div   r0, 10
        jnz   @digit
        mov   r3, ' '
@blank:
        cmp   r2, 0
        jz    @out
        dec   r1
        stb   [r1], r3
        dec   r2
        jmp   @blank
@out:
        ret
