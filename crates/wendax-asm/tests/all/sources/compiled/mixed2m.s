	.attribute	4, 16
	.attribute	5, "rv32i2p1_m2p0_zmmul1p0"
	.file	"mixed.436caae737f57eeb-cgu.0"
	.section	.text.choose,"ax",@progbits
	.globl	choose
	.p2align	2
	.type	choose,@function
choose:
	li	a2, 7
	bltu	a2, a0, .LBB0_10
	slli	a0, a0, 2
.Lpcrel_hi0:
	auipc	a2, %pcrel_hi(.LJTI0_0)
	addi	a2, a2, %pcrel_lo(.Lpcrel_hi0)
	add	a0, a2, a0
	lw	a0, 0(a0)
	jr	a0
.LBB0_2:
	lui	a0, 74565
	addi	a0, a0, 1656
	add	a0, a1, a0
	ret
.LBB0_3:
	mv	a0, a1
	tail	elsewhere
.LBB0_4:
	srli	a0, a1, 3
	ret
.LBB0_5:
	li	a0, 1
	slli	a0, a0, 11
	addi	a0, a0, 2047
	and	a0, a1, a0
	ret
.LBB0_6:
.Lpcrel_hi1:
	auipc	a0, %pcrel_hi(HANDLER)
	lw	t1, %pcrel_lo(.Lpcrel_hi1)(a0)
	mv	a0, a1
	jr	t1
.LBB0_7:
	li	a0, 37
	mul	a0, a1, a0
	ret
.LBB0_8:
	addi	a0, a1, -2048
	ret
.LBB0_9:
	li	a0, 1
	slli	a0, a0, 11
	or	a0, a1, a0
	ret
.LBB0_10:
	li	a0, -2048
	ret
.Lfunc_end0:
	.size	choose, .Lfunc_end0-choose
	.section	.rodata.choose,"a",@progbits
	.p2align	2, 0x0
.LJTI0_0:
	.word	.LBB0_2
	.word	.LBB0_7
	.word	.LBB0_4
	.word	.LBB0_5
	.word	.LBB0_3
	.word	.LBB0_8
	.word	.LBB0_9
	.word	.LBB0_6

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
.Lpcrel_hi2:
	auipc	a1, %pcrel_hi(ROOM)
	addi	a2, a0, 1
	addi	a3, a0, 2
	addi	a4, a0, 3
	addi	a5, a0, 4
	addi	a6, a0, 5
	addi	a7, a0, 6
	addi	t0, a0, 7
	addi	t1, a0, 8
	addi	t2, a0, 9
	addi	t3, a0, 10
	addi	t4, a0, 11
	addi	a1, a1, %pcrel_lo(.Lpcrel_hi2)
	sw	a0, 0(a1)
	sw	a2, 4(a1)
	sw	a3, 8(a1)
	sw	a4, 12(a1)
	addi	a2, a0, 12
	sw	a5, 16(a1)
	sw	a6, 20(a1)
	sw	a7, 24(a1)
	sw	t0, 28(a1)
	addi	a3, a0, 13
	sw	t1, 32(a1)
	sw	t2, 36(a1)
	sw	t3, 40(a1)
	sw	t4, 44(a1)
	addi	a4, a0, 14
	addi	a0, a0, 15
	sw	a2, 48(a1)
	sw	a3, 52(a1)
	sw	a4, 56(a1)
	sw	a0, 60(a1)
	ret
.Lfunc_end2:
	.size	fill, .Lfunc_end2-fill

	.section	.text.letters,"ax",@progbits
	.globl	letters
	.p2align	2
	.type	letters,@function
letters:
	li	a0, 0
.Lpcrel_hi3:
	auipc	a1, %pcrel_hi(NAME)
	addi	a1, a1, %pcrel_lo(.Lpcrel_hi3)
.LBB3_1:
	add	a2, a1, a0
	lbu	a2, 1(a2)
	addi	a0, a0, 1
	bnez	a2, .LBB3_1
	ret
.Lfunc_end3:
	.size	letters, .Lfunc_end3-letters

	.section	.text.long,"ax",@progbits
	.globl	long
	.p2align	2
	.type	long,@function
long:
	mul	a1, a2, a1
	mulhu	a4, a2, a0
	mul	a3, a3, a0
	mul	a0, a2, a0
	add	a1, a4, a1
	addi	a0, a0, 1
	add	a1, a1, a3
	seqz	a2, a0
	add	a1, a1, a2
	addi	a1, a1, 1
	ret
.Lfunc_end4:
	.size	long, .Lfunc_end4-long

	.section	.text.narrow,"ax",@progbits
	.globl	narrow
	.p2align	2
	.type	narrow,@function
narrow:
	slli	a1, a0, 24
	slli	a0, a0, 16
	srai	a1, a1, 24
	srai	a0, a0, 16
	add	a0, a1, a0
	ret
.Lfunc_end5:
	.size	narrow, .Lfunc_end5-narrow

	.section	.text.signed,"ax",@progbits
	.globl	signed
	.p2align	2
	.type	signed,@function
signed:
	blt	a0, a1, .LBB6_2
	srai	a0, a0, 31
	ret
.LBB6_2:
	sub	a0, a0, a1
	ret
.Lfunc_end6:
	.size	signed, .Lfunc_end6-signed

	.section	.text.total,"ax",@progbits
	.globl	total
	.p2align	2
	.type	total,@function
total:
	beqz	a0, .LBB7_3
	mv	a1, a0
	li	a0, 0
.Lpcrel_hi4:
	auipc	a2, %pcrel_hi(LOADS)
	addi	a2, a2, %pcrel_lo(.Lpcrel_hi4)
.LBB7_2:
	lw	a3, 0(a2)
	addi	a1, a1, -1
	add	a0, a3, a0
	addi	a2, a2, 4
	bnez	a1, .LBB7_2
.LBB7_3:
.Lpcrel_hi5:
	auipc	a1, %pcrel_hi(TOTAL)
	lw	a2, %pcrel_lo(.Lpcrel_hi5)(a1)
	add	a2, a2, a0
	sw	a2, %pcrel_lo(.Lpcrel_hi5)(a1)
	ret
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
