; The report for the goods office: what goes to each siding, in a file.

        .include "wagon.inc"
        .include "frames.inc"
        .global write_report
        .extern siding_totals, format_padded

.equ WIDTH, 8
.equ LINE, WIDTH + 2         ; the letter, the weight, the end of the line

; write_report: writes report.txt anew.
write_report:
        ENTER r6, r7
        mov   r0, name
        mov   r1, 1          ; to be written anew
        sys   file_open
        jc    @out           ; no folder to write in
        mov   r6, r0
        clr   r7
@siding:
        mov   r0, r7
        add   r0, 'A'
        stb   [line], r0
        mov   r0, r7
        shl   r0, 1
        ldw   r0, [r0 + siding_totals]
        mov   r1, line + 1
        mov   r2, WIDTH
        call  format_padded
        mov   r0, '\n'
        stb   [line + WIDTH + 1], r0
        mov   r0, r6
        mov   r1, line
        mov   r2, LINE
        sys   file_write
        inc   r7
        cmp   r7, SIDINGS
        jltu  @siding
        mov   r0, r6
        sys   file_close     ; now it is there, whole
@out:
        LEAVE r6, r7

        .data
name:   .asciz "report.txt"
line:   .space LINE
