//go:build !plain

#include "textflag.h"

// func repeat64(start unsafe.Pointer, left int, h unsafe.Pointer, nh int, t unsafe.Pointer, nt int, cells unsafe.Pointer, count int, marks unsafe.Pointer, low, most uintptr) (written, done int)
TEXT ·repeat64(SB), NOSPLIT, $32-104
	MOVQ start+0(FP), DI
	MOVQ left+8(FP), R10
	MOVQ h+16(FP), AX
	MOVQ nh+24(FP), R8
	MOVQ t+32(FP), BX
	MOVQ nt+40(FP), R9
	MOVQ cells+48(FP), SI
	MOVQ count+56(FP), CX
	MOVQ marks+64(FP), DX
	MOVQ low+72(FP), R11
	MOVQ most+80(FP), R12
	VMOVDQU (AX), Y2              // what stands before and behind every cell
	VMOVDQU (BX), Y3
	CMPQ R9, $32
	JLE  ready
	VMOVDQU 32(BX), Y4
ready:
	MOVWLZX 0(DX), R13
	MOVWLZX 16(DX), R14
	MOVWLZX 32(DX), R15
	MOVQ 8(DX), AX
	ADDQ R8, AX
	MOVQ AX, head-8(SP)           // the head and its mark
	MOVQ 24(DX), AX
	MOVQ AX, mark-16(SP)
	MOVQ 40(DX), AX
	ADDQ R9, AX
	MOVQ AX, tail-24(SP)
	LEAQ 6(R8)(R9*1), AX
	MOVQ AX, most-32(SP)          // all of a row but the cell, at most

row:
	MOVQ (SI), AX
	MOVQ 8(SI), BX
	SUBQ BX, R10
	SUBQ most-32(SP), R10
	JLT  out
	MOVQ AX, DX
	SUBQ R11, DX
	CMPQ DX, R12
	JAE  out
	ADDQ BX, DX                   // no cell is so long that it overflows
	CMPQ DX, R12
	JHI  out
	VMOVDQU Y2, (DI)
	CMPQ R8, $32
	JGT  longHead
headed:
	MOVW R13, (DI)(R8*1)
	ADDQ head-8(SP), DI
	VMOVDQU (AX), Y0
	VMOVDQU Y0, (DI)
	CMPQ BX, $32
	JGT  longCell
filled:
	ADDQ BX, DI
	MOVW R14, (DI)
	ADDQ mark-16(SP), DI
	VMOVDQU Y3, (DI)
	CMPQ R9, $32
	JLE  tailed
	VMOVDQU Y4, 32(DI)
	CMPQ R9, $64
	JGT  longTail
tailed:
	MOVW R15, (DI)(R9*1)
	ADDQ tail-24(SP), DI
	ADDQ $16, SI
	DECQ CX
	JNE  row

out:
	SUBQ start+0(FP), DI
	MOVQ DI, written+88(FP)
	SUBQ cells+48(FP), SI
	SHRQ $4, SI
	MOVQ SI, done+96(FP)
	VZEROUPPER
	RET

longHead:
	MOVQ h+16(FP), R11
	MOVQ $32, DX
moreHead:
	VMOVDQU (R11)(DX*1), Y1
	VMOVDQU Y1, (DI)(DX*1)
	ADDQ $32, DX
	CMPQ DX, R8
	JLT  moreHead
	MOVQ low+72(FP), R11
	JMP  headed

longCell:
	MOVQ $32, DX
moreCell:
	VMOVDQU (AX)(DX*1), Y1
	VMOVDQU Y1, (DI)(DX*1)
	ADDQ $32, DX
	CMPQ DX, BX
	JLT  moreCell
	JMP  filled

longTail:
	MOVQ t+32(FP), R11
	MOVQ $64, DX
moreTail:
	VMOVDQU (R11)(DX*1), Y1
	VMOVDQU Y1, (DI)(DX*1)
	ADDQ $32, DX
	CMPQ DX, R9
	JLT  moreTail
	MOVQ low+72(FP), R11
	JMP  tailed
