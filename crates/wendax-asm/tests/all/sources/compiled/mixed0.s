	.attribute	4, 16
	.attribute	5, "rv32i2p1_m2p0_zmmul1p0"
	.file	"mixed.436caae737f57eeb-cgu.0"
	.section	.text.choose,"ax",@progbits
	.globl	choose
	.p2align	2
	.type	choose,@function
choose:
	addi	sp, sp, -16
	sw	ra, 12(sp)
	sw	a1, 0(sp)
	mv	a1, a0
	mv	a0, a1
	sw	a0, 4(sp)
	li	a0, 7
	bltu	a0, a1, .LBB0_2
	lw	a0, 4(sp)
	slli	a1, a0, 2
	lui	a0, %hi(.LJTI0_0)
	addi	a0, a0, %lo(.LJTI0_0)
	add	a0, a0, a1
	lw	a0, 0(a0)
	jr	a0
.LBB0_2:
	li	a0, -2048
	sw	a0, 8(sp)
	j	.LBB0_11
.LBB0_3:
	lw	a0, 0(sp)
	lui	a1, 74565
	addi	a1, a1, 1656
	add	a0, a0, a1
	sw	a0, 8(sp)
	j	.LBB0_11
.LBB0_4:
	lw	a0, 0(sp)
	li	a1, 37
	mul	a0, a0, a1
	sw	a0, 8(sp)
	j	.LBB0_11
.LBB0_5:
	lw	a0, 0(sp)
	srli	a0, a0, 3
	sw	a0, 8(sp)
	j	.LBB0_11
.LBB0_6:
	lw	a0, 0(sp)
	slli	a0, a0, 20
	srli	a0, a0, 20
	sw	a0, 8(sp)
	j	.LBB0_11
.LBB0_7:
	lw	a0, 0(sp)
	call	elsewhere
	sw	a0, 8(sp)
	j	.LBB0_11
.LBB0_8:
	lw	a0, 0(sp)
	addi	a0, a0, -2048
	sw	a0, 8(sp)
	j	.LBB0_11
.LBB0_9:
	lw	a0, 0(sp)
	li	a1, 1
	slli	a1, a1, 11
	or	a0, a0, a1
	sw	a0, 8(sp)
	j	.LBB0_11
.LBB0_10:
	lw	a0, 0(sp)
	lui	a1, %hi(HANDLER)
	lw	a1, %lo(HANDLER)(a1)
	jalr	a1
	sw	a0, 8(sp)
	j	.LBB0_11
.LBB0_11:
	lw	a0, 8(sp)
	lw	ra, 12(sp)
	addi	sp, sp, 16
	ret
.Lfunc_end0:
	.size	choose, .Lfunc_end0-choose
	.section	.rodata.choose,"a",@progbits
	.p2align	2, 0x0
.LJTI0_0:
	.word	.LBB0_3
	.word	.LBB0_4
	.word	.LBB0_5
	.word	.LBB0_6
	.word	.LBB0_7
	.word	.LBB0_8
	.word	.LBB0_9
	.word	.LBB0_10

	.section	.text.double,"ax",@progbits
	.globl	double
	.p2align	2
	.type	double,@function
double:
	slli	a0, a0, 1
	ret
.Lfunc_end1:
	.size	double, .Lfunc_end1-double

	.section	.text.fill,"ax",@progbits
	.globl	fill
	.p2align	2
	.type	fill,@function
fill:
	addi	sp, sp, -16
	sw	a0, 8(sp)
	li	a0, 0
	sw	a0, 12(sp)
	j	.LBB2_1
.LBB2_1:
	lw	a0, 12(sp)
	li	a1, 16
	bltu	a0, a1, .LBB2_3
	j	.LBB2_2
.LBB2_2:
	addi	sp, sp, 16
	ret
.LBB2_3:
	lw	a0, 8(sp)
	lw	a2, 12(sp)
	slli	a3, a2, 2
	lui	a1, %hi(ROOM)
	addi	a1, a1, %lo(ROOM)
	add	a1, a1, a3
	add	a0, a0, a2
	sw	a0, 0(a1)
	lw	a0, 12(sp)
	addi	a0, a0, 1
	sw	a0, 12(sp)
	j	.LBB2_1
.Lfunc_end2:
	.size	fill, .Lfunc_end2-fill

	.section	.text.letters,"ax",@progbits
	.globl	letters
	.p2align	2
	.type	letters,@function
letters:
	addi	sp, sp, -16
	lui	a0, %hi(NAME)
	addi	a0, a0, %lo(NAME)
	sw	a0, 8(sp)
	li	a0, 0
	sw	a0, 12(sp)
	j	.LBB3_1
.LBB3_1:
	lw	a0, 8(sp)
	lbu	a0, 0(a0)
	bnez	a0, .LBB3_3
	j	.LBB3_2
.LBB3_2:
	lw	a0, 12(sp)
	addi	sp, sp, 16
	ret
.LBB3_3:
	lw	a0, 12(sp)
	addi	a0, a0, 1
	sw	a0, 12(sp)
	lw	a0, 8(sp)
	addi	a0, a0, 1
	sw	a0, 8(sp)
	j	.LBB3_1
.Lfunc_end3:
	.size	letters, .Lfunc_end3-letters

	.section	.text.long,"ax",@progbits
	.globl	long
	.p2align	2
	.type	long,@function
long:
	addi	sp, sp, -16
	sw	a3, 12(sp)
	mv	a3, a1
	lw	a1, 12(sp)
	mul	a4, a0, a1
	mulhu	a1, a0, a2
	add	a1, a1, a4
	mul	a3, a3, a2
	add	a1, a1, a3
	mul	a0, a0, a2
	addi	a0, a0, 1
	seqz	a2, a0
	add	a1, a1, a2
	addi	a1, a1, 1
	addi	sp, sp, 16
	ret
.Lfunc_end4:
	.size	long, .Lfunc_end4-long

	.section	.text.narrow,"ax",@progbits
	.globl	narrow
	.p2align	2
	.type	narrow,@function
narrow:
	mv	a1, a0
	slli	a0, a1, 24
	srai	a0, a0, 24
	slli	a1, a1, 16
	srai	a1, a1, 16
	add	a0, a0, a1
	ret
.Lfunc_end5:
	.size	narrow, .Lfunc_end5-narrow

	.section	.text.signed,"ax",@progbits
	.globl	signed
	.p2align	2
	.type	signed,@function
signed:
	addi	sp, sp, -16
	sw	a1, 4(sp)
	sw	a0, 8(sp)
	blt	a0, a1, .LBB6_2
	j	.LBB6_1
.LBB6_1:
	lw	a0, 8(sp)
	srai	a0, a0, 31
	sw	a0, 12(sp)
	j	.LBB6_3
.LBB6_2:
	lw	a0, 8(sp)
	lw	a1, 4(sp)
	sub	a0, a0, a1
	sw	a0, 12(sp)
	j	.LBB6_3
.LBB6_3:
	lw	a0, 12(sp)
	addi	sp, sp, 16
	ret
.Lfunc_end6:
	.size	signed, .Lfunc_end6-signed

	.section	.text.total,"ax",@progbits
	.globl	total
	.p2align	2
	.type	total,@function
total:
	addi	sp, sp, -16
	sw	a0, 4(sp)
	li	a0, 0
	sw	a0, 8(sp)
	sw	a0, 12(sp)
	j	.LBB7_1
.LBB7_1:
	lw	a1, 4(sp)
	lw	a0, 12(sp)
	bltu	a0, a1, .LBB7_3
	j	.LBB7_2
.LBB7_2:
	lui	a1, %hi(TOTAL)
	lw	a0, %lo(TOTAL)(a1)
	lw	a2, 8(sp)
	add	a0, a0, a2
	sw	a0, %lo(TOTAL)(a1)
	lw	a0, 8(sp)
	addi	sp, sp, 16
	ret
.LBB7_3:
	lw	a0, 8(sp)
	lw	a1, 12(sp)
	slli	a2, a1, 2
	lui	a1, %hi(LOADS)
	addi	a1, a1, %lo(LOADS)
	add	a1, a1, a2
	lw	a1, 0(a1)
	add	a0, a0, a1
	sw	a0, 8(sp)
	lw	a0, 12(sp)
	addi	a0, a0, 1
	sw	a0, 12(sp)
	j	.LBB7_1
.Lfunc_end7:
	.size	total, .Lfunc_end7-total

	.type	HANDLER,@object
	.section	.data.HANDLER,"aw",@progbits
	.globl	HANDLER
	.p2align	2, 0x0
HANDLER:
	.word	double
	.size	HANDLER, 4

	.type	NAME,@object
	.section	.rodata.NAME,"a",@progbits
	.globl	NAME
NAME:
	.asciz	"Ostrey"
	.size	NAME, 7

	.type	LOADS,@object
	.section	.rodata.LOADS,"a",@progbits
	.globl	LOADS
	.p2align	2, 0x0
LOADS:
	.ascii	"x\000\000\000c\000\000\000\256\001\000\000\377\377\377\377\007\000\000\000\000\000\000\200"
	.size	LOADS, 24

	.type	ROOM,@object
	.section	.bss.ROOM,"aw",@nobits
	.globl	ROOM
	.p2align	2, 0x0
ROOM:
	.zero	64
	.size	ROOM, 64

	.type	TOTAL,@object
	.section	.data.TOTAL,"aw",@progbits
	.globl	TOTAL
	.p2align	2, 0x0
TOTAL:
	.asciz	"\005\000\000"
	.size	TOTAL, 4

	.ident	"rustc version 1.95.0 (59807616e 2026-04-14)"
	.section	".note.GNU-stack","",@progbits
