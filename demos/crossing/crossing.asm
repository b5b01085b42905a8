# Ostrey yard, the level crossing, for RV32.
#
# Lever 0 is a train on the line. While it is up the barrier is down: the
# lamps 0 and 1 blink by turns, and the digits on the right count the
# seconds the road has waited. The key q ends the shift.

        .target rv32

        .equ  KEYS, -480     # device registers lie at the top of memory,
        .equ  KEY, -476      # so they are reached from zero
        .equ  PERIOD, -444
        .equ  TIMER, -440
        .equ  LAMPS, -416
        .equ  LEVERS, -412
        .equ  MASK, -408
        .equ  DIGIT0, -400

        .equ  TICK, 50_000   # twenty ticks a second at one megahertz
        .equ  TIMER_BIT, 1 << 24
        .equ  KEY_BIT, 1 << 25
        .equ  LEVER_BIT, 1 << 26

        .text
_start: la    t0, handler    # whom traps and interrupts call
        csrw  mtvec, t0
        li    t0, 1          # lever 0 asks
        sw    t0, MASK(zero)
        li    t0, 0x10       # so do keys
        sw    t0, KEYS(zero)
        li    t0, TICK
        sw    t0, PERIOD(zero)
        li    t0, 3          # the timer runs and asks
        sw    t0, TIMER(zero)
        li    t0, TIMER_BIT | KEY_BIT | LEVER_BIT
        csrw  mie, t0
        call  show
        csrsi mstatus, 8     # from here on interrupts come

idle:   wfi                  # until something happens
        lw    t0, over
        beqz  t0, idle
        csrci mstatus, 8
        csrw  mtvec, zero    # without a handler the host serves calls
        la    a0, farewell
        sys   put_text
        li    a0, 0
        sys   exit

# Interrupts come here: nothing that they interrupt may notice, so each
# register that is used is given back. The causes are 24, 25 and 26.
handler:
        addi  sp, sp, -32
        sw    ra, 28(sp)
        sw    t0, 24(sp)
        sw    t1, 20(sp)
        sw    t2, 16(sp)
        csrr  t0, mcause
        andi  t0, t0, 31
        li    t1, 24
        beq   t0, t1, 1f
        li    t1, 25
        beq   t0, t1, 2f
        lw    t0, LEVERS(zero)  # reading them ends the interrupt
        andi  t0, t0, 1
        sw    t0, train, t1
        sw    zero, ticks, t1
        j     3f
1:      li    t0, 7          # goes on running, expiry cleared
        sw    t0, TIMER(zero)
        lw    t0, ticks
        addi  t0, t0, 1
        sw    t0, ticks, t1
        j     3f
2:      lw    t0, KEY(zero)  # taking the key ends the interrupt
        li    t1, 'q'
        bne   t0, t1, 3f
        sw    t1, over, t0
3:      call  show
        lw    t2, 16(sp)
        lw    t1, 20(sp)
        lw    t0, 24(sp)
        lw    ra, 28(sp)
        addi  sp, sp, 32
        mret

# Lamps and digits show what is so. Changes t0, t1 and t2.
show:   lw    t0, train
        beqz  t0, 1f
        lw    t0, ticks
        andi  t1, t0, 8      # they change every eight ticks
        snez  t1, t1
        addi  t1, t1, 1      # lamp 0 or lamp 1
        sw    t1, LAMPS(zero)
        li    t1, 20
        divu  t0, t0, t1     # seconds
        remu  t1, t0, t1
        j     2f
1:      sw    zero, LAMPS(zero)
        li    t1, 0
2:      la    t2, shapes
        add   t2, t2, t1
        lbu   t2, 0(t2)
        sw    t2, DIGIT0(zero)
        ret

        .section .rodata
shapes: .byte 0x3F, 0x06, 0x5B, 0x4F, 0x66, 0x6D, 0x7D, 0x07, 0x7F, 0x6F
farewell:
        .asciz "The road is open.\n"

        .data
train:  .word 0
ticks:  .word 0
over:   .word 0
