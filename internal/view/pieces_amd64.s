//go:build !plain

#include "textflag.h"

#define PIECE(at) \
	TZCNTQ R13, DI             \
	ADDL DX, DI                \
	MOVL DI, at(R9)(R14*4)     \
	INCL DI                    \
	MOVL DI, (at+4)(R8)(R14*4) \
	BLSRQ R13, R13

// func pieces64(text unsafe.Pointer, size, room int, cells unsafe.Pointer, count int, separator byte, from, to, ends unsafe.Pointer) (done int)
TEXT ·pieces64(SB), NOSPLIT, $0-80
	MOVQ text+0(FP), R11
	MOVQ cells+24(FP), SI
	MOVQ count+32(FP), CX
	MOVBLZX separator+40(FP), AX
	MOVQ from+48(FP), R8
	MOVQ to+56(FP), R9
	MOVQ ends+64(FP), R10
	MOVQ AX, X0
	VPBROADCASTB X0, Y0
	XORL R12, R12                 // where the cell before ends
	XORL R14, R14                 // pieces

cell:
	MOVQ (SI), AX
	MOVQ 8(SI), BX
	LEAQ -1(BX), DI
	CMPQ DI, $63
	JHI  out                      // blank, or longer than a block
	MOVQ AX, DX
	SUBQ R11, DX
	CMPQ DX, R12
	JB   out
	CMPQ DX, room+16(FP)
	JHI  out
	LEAQ (DX)(BX*1), R12
	CMPQ R12, size+8(FP)
	JHI  out
	VPCMPEQB (AX), Y0, Y1
	VPCMPEQB 32(AX), Y0, Y2
	VPMOVMSKB Y1, R13
	VPMOVMSKB Y2, DI
	SHLQ $32, DI
	ORQ  DI, R13
	BZHIQ BX, R13, R13
	MOVL DX, (R8)(R14*4)
	POPCNTQ R13, R15
	ADDQ R14, R15
four:
	PIECE(0)
	PIECE(4)
	PIECE(8)
	PIECE(12)
	ADDQ $4, R14
	CMPQ R14, R15
	JLT  four
	MOVL R12, (R9)(R15*4)
	LEAQ 1(R15), R14
	MOVL R14, (R10)
	ADDQ $4, R10
	ADDQ $16, SI
	DECQ CX
	JNE  cell

out:
	SUBQ cells+24(FP), SI
	SHRQ $4, SI
	MOVQ SI, done+72(FP)
	VZEROUPPER
	RET
