; The wagons that stand ready today.

        .include "wagon.inc"
        .global wagons, wagon_count

        .macro WAGON number, goods, weight, siding
        .if   {goods} >= GOODS
        .error "wagon {number}: there are only GOODS kinds of goods"
        .endif
        .word {number}, {goods}, {weight}, {siding}
        .endmacro

.equ COAL, 0
.equ TIMBER, 1
.equ GRAIN, 2
.equ SLATE, 3

        .data
        .align 2
wagons: WAGON 1041, COAL, 312, 0
        WAGON 1107, TIMBER, 188, 2
        WAGON 1112, TIMBER, 204, 2
        WAGON 1260, GRAIN, 276, 1
        WAGON 1305, SLATE, 448, 0
        WAGON 1306, SLATE, 455, 0
        WAGON 1419, GRAIN, 240, 1
wagons_end:
.equ wagon_count, (wagons_end - wagons) / WAGON_SIZE
