//go:build !plain

#include "textflag.h"

// func fetch(lines unsafe.Pointer, n uint64, keys unsafe.Pointer, count int)
//
// The line of a key is the high half of its second hash, of four bytes, times n; lines take 64 bytes, keys 16.
TEXT ·fetch(SB), NOSPLIT, $0-32
	MOVQ lines+0(FP), DI
	MOVQ n+8(FP), CX
	MOVQ keys+16(FP), SI
	MOVQ count+24(FP), R8
next:
	MOVL 8(SI), AX
	IMULQ CX, AX
	SHRQ $32, AX
	SHLQ $6, AX
	PREFETCHT0 (DI)(AX*1)
	ADDQ $16, SI
	DECQ R8
	JNE  next
	RET
