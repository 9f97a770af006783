//go:build !plain

#include "textflag.h"

// func quoted64(data unsafe.Pointer, blocks int, base uint32, delimiter byte, inside uint64, to unsafe.Pointer, room int, quotes unsafe.Pointer, quoteRoom int) (read, stored, marks, feeds int, after uint64, seen Seen)
//
// As separators64 does it, but for what lies between quotes: a product without carries of the quotes' mask and all ones has a one
// where an odd number of quotes lies at or before it.
TEXT ·quoted64(SB), NOSPLIT, $0-105
	MOVQ data+0(FP), SI
	MOVQ blocks+8(FP), CX
	MOVL base+16(FP), R9
	MOVBLZX delimiter+20(FP), AX
	MOVQ inside+24(FP), R15
	MOVQ to+32(FP), DI
	MOVQ room+40(FP), R8
	MOVQ quotes+48(FP), R12
	MOVQ quoteRoom+56(FP), R13
	LEAQ -256(DI)(R8*4), R8       // the last place at which a block may begin to store
	LEAQ -512(R12)(R13*8), R13    // and that for quotes
	MOVQ AX, X0
	VPBROADCASTB X0, Y0
	MOVL $0x0a, AX
	MOVQ AX, X1
	VPBROADCASTB X1, Y1
	MOVL $0x0d, AX
	MOVQ AX, X2
	VPBROADCASTB X2, Y2
	MOVL $0x22, AX
	MOVQ AX, X3
	VPBROADCASTB X3, Y3
	VPXOR Y4, Y4, Y4              // all bytes, or-ed
	VPXOR Y5, Y5, Y5              // where carriage returns stood
	VPCMPEQB Y6, Y6, Y6           // the least of all bytes
	VPCMPEQB X15, X15, X15        // all ones
	MOVQ $0, feeds+88(FP)

block:
	TESTQ CX, CX
	JLE  done
	CMPQ DI, R8
	JHI  done
	CMPQ R12, R13
	JHI  done
	VMOVDQU (SI), Y7
	VMOVDQU 32(SI), Y8
	VPCMPEQB Y3, Y7, Y9
	VPCMPEQB Y3, Y8, Y10
	VPMOVMSKB Y9, BX
	VPMOVMSKB Y10, DX
	SHLQ $32, DX
	ORQ  DX, BX                   // quotes
	VPCMPEQB Y1, Y7, Y9
	VPCMPEQB Y1, Y8, Y10
	VPMOVMSKB Y9, R10
	VPMOVMSKB Y10, DX
	SHLQ $32, DX
	ORQ  DX, R10                  // line feeds
	VPCMPEQB Y0, Y7, Y9
	VPCMPEQB Y0, Y8, Y11
	VPMOVMSKB Y9, AX
	VPMOVMSKB Y11, DX
	SHLQ $32, DX
	ORQ  DX, AX
	ORQ  R10, AX                  // separators
	VPOR Y7, Y4, Y4
	VPOR Y8, Y4, Y4
	VPMINUB Y7, Y6, Y6
	VPMINUB Y8, Y6, Y6
	VPCMPEQB Y2, Y7, Y13
	VPOR Y13, Y5, Y5
	VPCMPEQB Y2, Y8, Y14
	VPOR Y14, Y5, Y5
	MOVQ R15, DX
	ORQ  BX, DX
	JEQ  outside
	VMOVQ BX, X9
	VPCLMULQDQ $0, X15, X9, X9
	VMOVQ X9, DX
	XORQ R15, DX                  // what lies inside, opening quotes with it
	MOVQ DX, R15
	SARQ $63, R15
	ANDNQ AX, DX, AX
	ANDNQ R10, DX, R10
	TESTQ BX, BX
	JEQ  outside
	MOVQ DI, R11
	SUBQ to+32(FP), R11
	SHRQ $2, R11                  // separators before the block
mark:
	TZCNTQ BX, DX
	BZHIQ DX, AX, R14
	POPCNTQ R14, R14
	ADDL R11, R14
	ADDL R9, DX
	MOVL DX, (R12)
	MOVL R14, 4(R12)
	ADDQ $8, R12
	BLSRQ BX, BX
	JNE  mark

outside:
	POPCNTQ R10, R10
	ADDQ R10, feeds+88(FP)
	POPCNTQ AX, BX
	LEAQ (DI)(BX*4), R11          // where the next block stores
more:
	TZCNTQ AX, R10
	ADDL R9, R10
	MOVL R10, 0(DI)
	BLSRQ AX, AX
	TZCNTQ AX, R10
	ADDL R9, R10
	MOVL R10, 4(DI)
	BLSRQ AX, AX
	TZCNTQ AX, R10
	ADDL R9, R10
	MOVL R10, 8(DI)
	BLSRQ AX, AX
	TZCNTQ AX, R10
	ADDL R9, R10
	MOVL R10, 12(DI)
	BLSRQ AX, AX
	ADDQ $16, DI
	SUBQ $4, BX
	JG   more
	MOVQ R11, DI
	ADDQ $64, SI
	ADDL $64, R9
	DECQ CX
	JMP  block

done:
	SUBQ data+0(FP), SI
	MOVQ SI, read+64(FP)
	SUBQ to+32(FP), DI
	SHRQ $2, DI
	MOVQ DI, stored+72(FP)
	SUBQ quotes+48(FP), R12
	SHRQ $3, R12
	MOVQ R12, marks+80(FP)
	MOVQ R15, after+96(FP)
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
	MOVB BX, seen+104(FP)
	VZEROUPPER
	RET
