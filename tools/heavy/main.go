// Command heavy writes the vector kernels of package rigside/load as Go assembly. Run it through go generate there.
package main

import (
	"strconv"

	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

// Shape of the matrices, as in package load: C (rows × cols) += A (rows × depth) · B (depth × cols), row by row.
const (
	rows  = 12
	depth = 24
	cols  = 96
)

func main() {
	ConstraintExpr("amd64")
	kernel("multiplyAdd512", "ZMM", 6, 4, ZMM)
	kernel("multiplyAdd256", "YMM", 4, 3, YMM)
	Generate()
}

// kernel writes one width: tiles of tileRows rows by tileVecs vectors are held in registers for every pass. Each element
// takes its additions in the order of passes and depth, whatever the width, so that all widths give the same bits.
func kernel(name, kind string, tileRows, tileVecs int, vec func() reg.VecVirtual) {
	TEXT(name, NOSPLIT, "func(a, b, c *float64, passes int)")
	Doc(name + " adds A·B to C passes times, in " + kind + " registers.")
	lanes := 8
	if kind == "YMM" {
		lanes = 4
	}
	a, b, c := Load(Param("a"), GP64()), Load(Param("b"), GP64()), Load(Param("c"), GP64())
	passes := Load(Param("passes"), GP64())
	acc := make([]reg.VecVirtual, tileRows*tileVecs)
	for i := range acc {
		acc[i] = vec()
	}
	bv := make([]reg.VecVirtual, tileVecs)
	for i := range bv {
		bv[i] = vec()
	}
	scale := vec()
	tileCols := tileVecs * lanes
	colA, colB, left, k := GP64(), GP64(), GP64(), GP64()
	for i0 := 0; i0 < rows; i0 += tileRows {
		for j0 := 0; j0 < cols; j0 += tileCols {
			label := func(what string) string { return what + "_" + strconv.Itoa(i0) + "_" + strconv.Itoa(j0) }
			at := func(r, v int) Mem { return Mem{Base: c, Disp: 8 * ((i0+r)*cols + j0 + v*lanes)} }
			for r := range tileRows {
				for v := range tileVecs {
					VMOVUPD(at(r, v), acc[r*tileVecs+v])
				}
			}
			MOVQ(passes, left)
			Label(label("pass"))
			MOVQ(a, colA)
			MOVQ(b, colB)
			MOVQ(U32(depth), k)
			Label(label("depth"))
			for v := range tileVecs {
				VMOVUPD(Mem{Base: colB, Disp: 8 * (j0 + v*lanes)}, bv[v])
			}
			for r := range tileRows {
				VBROADCASTSD(Mem{Base: colA, Disp: 8 * (i0 + r) * depth}, scale)
				for v := range tileVecs {
					VFMADD231PD(bv[v], scale, acc[r*tileVecs+v])
				}
			}
			ADDQ(U8(8), colA)
			ADDQ(U32(8*cols), colB)
			DECQ(k)
			JNZ(LabelRef(label("depth")))
			DECQ(left)
			JNZ(LabelRef(label("pass")))
			for r := range tileRows {
				for v := range tileVecs {
					VMOVUPD(acc[r*tileVecs+v], at(r, v))
				}
			}
		}
	}
	VZEROUPPER()
	RET()
}
