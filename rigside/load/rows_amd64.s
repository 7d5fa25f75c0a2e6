#include "textflag.h"

// func hammer(a, b *uint64, times int)
// Reads two words by turns, each time from the memory itself.
TEXT ·hammer(SB), NOSPLIT, $0-24
	MOVQ a+0(FP), AX
	MOVQ b+8(FP), BX
	MOVQ times+16(FP), CX

again:
	MOVQ    (AX), DX
	MOVQ    (BX), SI
	CLFLUSH (AX)
	CLFLUSH (BX)
	MFENCE
	DECQ    CX
	JNZ     again
	RET
