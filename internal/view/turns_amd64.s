//go:build !plain

#include "textflag.h"

// func turn64(to, tail unsafe.Pointer, n int, labels unsafe.Pointer, count int, codes, ends unsafe.Pointer, cells int, text unsafe.Pointer, start, last uint32) (behind unsafe.Pointer)
TEXT ·turn64(SB), NOSPLIT, $0-88
	MOVQ to+0(FP), DI
	MOVQ tail+8(FP), SI
	MOVQ n+16(FP), R8
	MOVQ labels+24(FP), R9
	MOVQ codes+40(FP), R10
	MOVQ ends+48(FP), R12
	MOVQ cells+56(FP), CX
	MOVQ text+64(FP), R11
	MOVL start+72(FP), R13
	VMOVDQU (SI), Y2              // the tail, which is written behind every cell
	CMPQ R8, $32
	JLE  cell
	VMOVDQU 32(SI), Y3

cell:
	MOVL (R10), AX
	CMPQ AX, count+32(FP)
	JAE  bad
	SHLQ $4, AX
	MOVQ (R9)(AX*1), BX
	MOVQ 8(R9)(AX*1), DX
	VMOVDQU (BX), Y0
	VMOVDQU Y0, (DI)
	CMPQ DX, $32
	JGT  longLabel
labelled:
	ADDQ DX, DI
	MOVL (R12), AX
	CMPL AX, R13
	JB   bad
	CMPL AX, last+76(FP)
	JHI  bad
	LEAQ (R11)(R13*1), DX
	VMOVDQU (DX), Y1
	VMOVDQU Y1, (DI)
	MOVL AX, BX
	SUBL R13, BX
	CMPQ BX, $32
	JGT  longCell
filled:
	ADDQ BX, DI
	LEAL 1(AX), R13
	VMOVDQU Y2, (DI)
	CMPQ R8, $32
	JLE  next
	VMOVDQU Y3, 32(DI)
	CMPQ R8, $64
	JGT  longTail
next:
	ADDQ R8, DI
	ADDQ $4, R10
	ADDQ $4, R12
	DECQ CX
	JNE  cell
	MOVQ DI, behind+80(FP)
	VZEROUPPER
	RET

longLabel:
	MOVQ $32, R14
moreLabel:
	VMOVDQU (BX)(R14*1), Y0
	VMOVDQU Y0, (DI)(R14*1)
	ADDQ $32, R14
	CMPQ R14, DX
	JLT  moreLabel
	JMP  labelled

longCell:
	MOVQ $32, R14
moreCell:
	VMOVDQU (DX)(R14*1), Y1
	VMOVDQU Y1, (DI)(R14*1)
	ADDQ $32, R14
	CMPQ R14, BX
	JLT  moreCell
	JMP  filled

longTail:
	MOVQ $64, R14
moreTail:
	VMOVDQU (SI)(R14*1), Y1
	VMOVDQU Y1, (DI)(R14*1)
	ADDQ $32, R14
	CMPQ R14, R8
	JLT  moreTail
	JMP  next

bad:
	MOVQ $0, behind+80(FP)
	VZEROUPPER
	RET

// func filled64(ends unsafe.Pointer, rows, stride, cells int) (sum int)
//
// A cell is blank where the place at which it ends is one behind the place before it.
TEXT ·filled64(SB), NOSPLIT, $0-40
	MOVQ ends+0(FP), SI
	MOVQ rows+8(FP), R8
	MOVQ stride+16(FP), R9
	MOVQ cells+24(FP), R10
	SHLQ $2, R9
	MOVL $1, AX
	MOVQ AX, X0
	VPBROADCASTD X0, Y0
	VPXOR Y1, Y1, Y1              // blanks, by lanes
	XORL R11, R11                 // blanks of what is left of each row
	MOVQ R10, R13
	IMULQ R8, R13
row:
	MOVQ SI, DI
	MOVQ R10, CX
	SUBQ $8, CX
	JLT  rest
eight:
	VMOVDQU (DI), Y2
	VPSUBD -4(DI), Y2, Y2
	VPCMPEQD Y0, Y2, Y2
	VPSUBD Y2, Y1, Y1
	ADDQ $32, DI
	SUBQ $8, CX
	JGE  eight
rest:
	ADDQ $8, CX
	JEQ  nextRow
one:
	MOVL (DI), AX
	SUBL -4(DI), AX
	XORL DX, DX
	CMPL AX, $1
	SETEQ DX
	ADDQ DX, R11
	ADDQ $4, DI
	DECQ CX
	JNE  one
nextRow:
	ADDQ R9, SI
	DECQ R8
	JNE  row
	VEXTRACTI128 $1, Y1, X2
	VPADDD X2, X1, X1
	VPSHUFD $0x4e, X1, X2
	VPADDD X2, X1, X1
	VPSHUFD $0xb1, X1, X2
	VPADDD X2, X1, X1
	VMOVD X1, AX
	ADDQ AX, R11
	SUBQ R11, R13
	MOVQ R13, sum+32(FP)
	VZEROUPPER
	RET
