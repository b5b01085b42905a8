; The weight that goes to each siding.

        .include "wagon.inc"
        .global add_to_siding, siding_totals

; add_to_siding: r1 hundredweight more for siding r0.
add_to_siding:
        shl   r0, 1
        ldw   r2, [r0 + siding_totals]
        add   r2, r1
        stw   [r0 + siding_totals], r2
        ret

        .data
        .align 2
siding_totals:
        .repeat SIDINGS
        .word 0
        .endrepeat
