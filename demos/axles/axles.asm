# Ostrey yard, the scale at the gate, for RV32.
#
# The loads of a train's axles are typed one a line, 0 ends. Their sum, the
# heaviest and the mean are printed, and how many axles are too heavy.

        .target rv32

        .equ  MOST, 24       # so many axles at most
        .equ  LIMIT, 180     # what one may weigh

        .text
_start: la    s0, loads      # where the next load goes
        li    s1, 0          # how many there are
read:   sys   get_int
        bnez  a1, done       # the input has ended, or was no number
        beqz  a0, done
        li    t0, MOST
        beq   s1, t0, done
        sw    a0, 0(s0)
        addi  s0, s0, 4
        addi  s1, s1, 1
        j     read

done:   beqz  s1, none
        la    a0, loads
        mv    a1, s1
        call  report
        li    a0, 0
        sys   exit

none:   la    a0, empty
        sys   put_text
        li    a0, 1
        sys   exit

# Prints what there is to say of a1 loads at a0.
report: addi  sp, sp, -16    # room for three words, a multiple of 16
        sw    ra, 12(sp)     # the way back, which the calls below take
        sw    s0, 8(sp)
        sw    s1, 4(sp)
        mv    s0, a0
        mv    s1, a1
        call  total
        mv    t2, a0
        la    a0, sum
        mv    a1, t2
        call  print
        mv    a0, s0
        mv    a1, s1
        call  total
        div   a1, a0, s1     # toward zero
        la    a0, mean
        call  print
        mv    a0, s0
        mv    a1, s1
        call  heaviest
        mv    a1, a0
        la    a0, most
        call  print
        mv    a0, s0
        mv    a1, s1
        call  heavy
        mv    a1, a0
        la    a0, over
        call  print
        lw    s1, 4(sp)
        lw    s0, 8(sp)
        lw    ra, 12(sp)
        addi  sp, sp, 16
        ret

# The sum of a1 words at a0. A leaf: it calls nobody, so ra stays.
total:  li    t0, 0
1:      lw    t1, 0(a0)
        add   t0, t0, t1
        addi  a0, a0, 4
        addi  a1, a1, -1
        bnez  a1, 1b
        mv    a0, t0
        ret

# The greatest of a1 words at a0.
heaviest:
        lw    t0, 0(a0)
1:      lw    t1, 0(a0)
        bge   t0, t1, 2f     # signed
        mv    t0, t1
2:      addi  a0, a0, 4
        addi  a1, a1, -1
        bnez  a1, 1b
        mv    a0, t0
        ret

# How many of a1 words at a0 are above the limit: it asks another routine of
# each, so it puts ra by.
heavy:  addi  sp, sp, -16
        sw    ra, 12(sp)
        sw    s0, 8(sp)
        sw    s1, 4(sp)
        sw    s2, 0(sp)
        mv    s0, a0
        mv    s1, a1
        li    s2, 0
1:      lw    a0, 0(s0)
        call  is_heavy
        add   s2, s2, a0
        addi  s0, s0, 4
        addi  s1, s1, -1
        bnez  s1, 1b
        mv    a0, s2
        lw    s2, 0(sp)
        lw    s1, 4(sp)
        lw    s0, 8(sp)
        lw    ra, 12(sp)
        addi  sp, sp, 16
        ret

# 1 if a0 is above the limit, else 0.
is_heavy:
        li    t0, LIMIT
        slt   a0, t0, a0
        ret

# Prints the text at a0 and the number a1, on a line. a0, a1 and a7 change.
print:  mv    t0, a1         # calls of the host leave t0 alone
        sys   put_text
        mv    a0, t0
        sys   put_int
        li    a0, '\n'
        sys   put_char
        ret

        .section .rodata
sum:    .asciz "sum      "
mean:   .asciz "mean     "
most:   .asciz "heaviest "
over:   .asciz "heavy    "
empty:  .asciz "no axles\n"

        .bss
loads:  .space 4 * MOST
