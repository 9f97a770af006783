//go:build !plain

#include "textflag.h"

// EXTRACT stores the place of the lowest bit of AX that is set, and clears it; where none is, it stores in vain.
#define EXTRACT(at) \
	TZCNTQ AX, R10    \
	ADDL   R9, R10    \
	MOVL   R10, at(DI) \
	BLSRQ  AX, AX

#define EXTRACT4 \
	EXTRACT(0)  \
	EXTRACT(4)  \
	EXTRACT(8)  \
	EXTRACT(12)

// func separators64(data unsafe.Pointer, blocks int, base uint32, delimiter byte, to unsafe.Pointer, room int) (read, stored int, seen Seen)
//
// A block of 64 bytes makes two masks of 32, whose bits are places. Eight are stored whether they are there or not: how many
// there are can't be foretold, and a wrong guess costs more than the stores.
TEXT ·separators64(SB), NOSPLIT, $0-57
	MOVQ data+0(FP), SI
	MOVQ blocks+8(FP), CX
	MOVL base+16(FP), R9
	MOVBLZX delimiter+20(FP), AX
	MOVQ to+24(FP), DI
	MOVQ room+32(FP), R8
	MOVQ SI, R12
	MOVQ DI, R13
	LEAQ -256(DI)(R8*4), R8       // the last place at which a block may begin to store
	MOVQ AX, X0
	VPBROADCASTB X0, Y0
	MOVL $0x0a, AX
	MOVQ AX, X1
	VPBROADCASTB X1, Y1
	MOVL $0x0d, AX
	MOVQ AX, X2
	VPBROADCASTB X2, Y2
	VPXOR Y4, Y4, Y4              // all bytes, or-ed
	VPXOR Y5, Y5, Y5              // where carriage returns stood
	VPCMPEQB Y6, Y6, Y6           // the least of all bytes

block:
	TESTQ CX, CX
	JLE  done
	CMPQ DI, R8
	JHI  done
	VMOVDQU (SI), Y7
	VMOVDQU 32(SI), Y8
	VPCMPEQB Y0, Y7, Y9
	VPCMPEQB Y1, Y7, Y10
	VPOR Y9, Y10, Y9
	VPCMPEQB Y0, Y8, Y11
	VPCMPEQB Y1, Y8, Y12
	VPOR Y11, Y12, Y11
	VPMOVMSKB Y9, AX
	VPMOVMSKB Y11, DX
	VPOR Y7, Y4, Y4
	VPOR Y8, Y4, Y4
	VPMINUB Y7, Y6, Y6
	VPMINUB Y8, Y6, Y6
	VPCMPEQB Y2, Y7, Y13
	VPOR Y13, Y5, Y5
	VPCMPEQB Y2, Y8, Y14
	VPOR Y14, Y5, Y5
	SHLQ $32, DX
	ORQ  DX, AX
	POPCNTQ AX, BX
	LEAQ (DI)(BX*4), R11          // where the next block stores
more:
	EXTRACT4
	ADDQ $16, DI
	SUBQ $4, BX
	JG   more
	MOVQ R11, DI
	ADDQ $64, SI
	ADDL $64, R9
	DECQ CX
	JMP  block

done:
	SUBQ R12, SI
	MOVQ SI, read+40(FP)
	SUBQ R13, DI
	SHRQ $2, DI
	MOVQ DI, stored+48(FP)
	XORL BX, BX
	VPMOVMSKB Y4, AX
	TESTL AX, AX
	JEQ  noHigh
	ORL  $1, BX
noHigh:
	VPMOVMSKB Y5, AX
	TESTL AX, AX
	JEQ  noReturn
	ORL  $2, BX
noReturn:
	VPXOR Y7, Y7, Y7
	VPCMPEQB Y7, Y6, Y7
	VPMOVMSKB Y7, AX
	TESTL AX, AX
	JEQ  noNUL
	ORL  $4, BX
noNUL:
	MOVB BX, seen+56(FP)
	VZEROUPPER
	RET
