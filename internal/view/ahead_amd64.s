//go:build !plain

#include "textflag.h"

// func ahead(list unsafe.Pointer, shift uint64, at unsafe.Pointer, count int)
//
// What is asked for is never read, so a place outside the list does no harm.
TEXT ·ahead(SB), NOSPLIT, $0-32
	MOVQ list+0(FP), DI
	MOVQ shift+8(FP), CX
	MOVQ at+16(FP), SI
	MOVQ count+24(FP), R8
next:
	MOVLQSX (SI), AX
	SHLQ CX, AX
	PREFETCHT0 (DI)(AX*1)
	ADDQ $4, SI
	DECQ R8
	JNE  next
	RET

// func aheadTexts(texts unsafe.Pointer, count int)
TEXT ·aheadTexts(SB), NOSPLIT, $0-16
	MOVQ texts+0(FP), SI
	MOVQ count+8(FP), R8
text:
	MOVQ (SI), AX
	PREFETCHT0 (AX)
	PREFETCHT0 64(AX)
	ADDQ $16, SI
	DECQ R8
	JNE  text
	RET
