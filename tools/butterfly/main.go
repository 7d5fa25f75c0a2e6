// Command butterfly writes the vector kernels of the transform of package rigside/load as Go assembly. Run it through go
// generate there. Each computes what the portable code beside it there defines, to the last bit.
package main

import (
	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

// strip is how many numbers a row of a strip has.
const strip = 16

// vectors are those of a width.
type vectors struct {
	suffix string
	bytes  int
	vec    func() reg.VecVirtual
}

func (v vectors) wide() bool { return v.bytes == 64 }

func main() {
	ConstraintExpr("amd64")
	for _, v := range []vectors{{"512", 64, ZMM}, {"256", 32, YMM}} {
		v.forward()
		v.backward()
		v.turn()
		v.transpose()
		v.square()
		v.carry()
	}
	Generate()
}

// load and store move a vector at a place.
func (v vectors) load(from Mem) reg.VecVirtual {
	x := v.vec()
	VMOVUPD(from, x)
	return x
}

func (v vectors) add(p, q Op) reg.VecVirtual { x := v.vec(); VADDPD(q, p, x); return x }
func (v vectors) sub(p, q Op) reg.VecVirtual { x := v.vec(); VSUBPD(q, p, x); return x }
func (v vectors) mul(p, q Op) reg.VecVirtual { x := v.vec(); VMULPD(q, p, x); return x }

func (v vectors) sums(p, q Op) (sum, difference reg.VecVirtual) { return v.add(p, q), v.sub(p, q) }

// broadcast repeats a number.
func (v vectors) broadcast(from Mem) reg.VecVirtual {
	x := v.vec()
	VBROADCASTSD(from, x)
	return x
}

// rotate multiplies by w, or by its conjugate: first the product with the imaginary part, rounded, then a fused
// multiply-add, as the plain code does.
func (v vectors) rotate(re, im, wr, wi Op, back bool) (outRe, outIm reg.VecVirtual) {
	outRe, outIm = v.mul(im, wi), v.mul(re, wi)
	if back {
		VFMADD231PD(wr, re, outRe) // re·wr + im·wi
		VFMSUB231PD(wr, im, outIm) // im·wr − re·wi
	} else {
		VFMSUB231PD(wr, re, outRe)
		VFMADD231PD(wr, im, outIm)
	}
	return outRe, outIm
}

// pointer and count are parameters.
func pointer(name string) reg.GPVirtual { return Load(Param(name), GP64()).(reg.GPVirtual) }

// doubles is a parameter that counts numbers, in bytes.
func doubles(name string) reg.GPVirtual {
	n := pointer(name)
	SHLQ(U8(3), n)
	return n
}

// loop repeats a body, and advances pointers by bytes after each time, until left of them are done.
func loop(left reg.GPVirtual, less int, body func()) {
	Label("next")
	body()
	SUBQ(Imm(uint64(less)), left)
	JNZ(LabelRef("next"))
	VZEROUPPER()
	RET()
}

// place is where the rows of butterflies stand: the first of four, and how far the others are.
type place struct{ re, im, arm, arm3 reg.GPVirtual }

func placeOf(name string) place {
	p := place{re: pointer(name + "Re"), im: pointer(name + "Im"), arm: doubles(name + "Arm"), arm3: GP64()}
	LEAQ(Mem{Base: p.arm, Index: p.arm, Scale: 2}, p.arm3)
	return p
}

func (p place) row(base reg.GPVirtual, i, disp int) Mem {
	return [...]Mem{{Base: base, Disp: disp}, {Base: base, Index: p.arm, Scale: 1, Disp: disp},
		{Base: base, Index: p.arm, Scale: 2, Disp: disp}, {Base: base, Index: p.arm3, Scale: 1, Disp: disp}}[i]
}

// butterflies goes through a stage: so many butterflies, each with turns of its own, in so many blocks. What belongs to the next block
// stands a step on, and to the next butterfly a next.
func (v vectors) butterflies(name, doc string, body func(x [4][2]reg.VecVirtual, w []reg.VecVirtual) [4][2]reg.VecVirtual) {
	TEXT(name+v.suffix, NOSPLIT,
		"func(toRe, toIm, fromRe, fromIm *float64, "+
			"toArm, fromArm, toStep, fromStep, toNext, fromNext, blocks, butterflies int, w *float64)")
	Doc(name + v.suffix + " " + doc)
	to, from := placeOf("to"), placeOf("from")
	w := pointer("w")
	advance := func(name string, p place) {
		by := doubles(name)
		ADDQ(by, p.re)
		ADDQ(by, p.im)
	}
	left := pointer("butterflies")
	Label("butterfly")
	turns := make([]reg.VecVirtual, 6)
	for i := range turns {
		turns[i] = v.broadcast(Mem{Base: w, Disp: 8 * i})
	}
	blocks := pointer("blocks")
	Label("block")
	for disp := 0; disp < 8*strip; disp += v.bytes {
		var x [4][2]reg.VecVirtual
		for i := range x {
			x[i] = [2]reg.VecVirtual{v.load(from.row(from.re, i, disp)), v.load(from.row(from.im, i, disp))}
		}
		for i, y := range body(x, turns) {
			VMOVUPD(y[0], to.row(to.re, i, disp))
			VMOVUPD(y[1], to.row(to.im, i, disp))
		}
	}
	advance("toStep", to)
	advance("fromStep", from)
	SUBQ(Imm(1), blocks)
	JNZ(LabelRef("block"))
	advance("toNext", to)
	advance("fromNext", from)
	ADDQ(Imm(48), w)
	SUBQ(Imm(1), left)
	JNZ(LabelRef("butterfly"))
	VZEROUPPER()
	RET()
}

func (v vectors) forward() {
	v.butterflies("forward", "makes butterflies of four rows of a strip, and turns the last three of each: the forward transform.",
		func(x [4][2]reg.VecVirtual, w []reg.VecVirtual) (y [4][2]reg.VecVirtual) {
			t0r, t1r := v.sums(x[0][0], x[2][0])
			t0i, t1i := v.sums(x[0][1], x[2][1])
			t2r, sr := v.sums(x[1][0], x[3][0])
			t2i, si := v.sums(x[1][1], x[3][1])
			y[0][0], y[2][0] = v.sums(t0r, t2r)
			y[0][1], y[2][1] = v.sums(t0i, t2i)
			y[1][0], y[3][0] = v.sums(t1r, si) // −i(sr + i·si) = si − i·sr
			y[3][1], y[1][1] = v.sums(t1i, sr)
			for i := 1; i < 4; i++ {
				y[i][0], y[i][1] = v.rotate(y[i][0], y[i][1], w[2*i-2], w[2*i-1], false)
			}
			return y
		})
}

func (v vectors) backward() {
	v.butterflies("backward", "undoes forward, but for a factor of four.",
		func(y [4][2]reg.VecVirtual, w []reg.VecVirtual) (x [4][2]reg.VecVirtual) {
			for i := 1; i < 4; i++ {
				y[i][0], y[i][1] = v.rotate(y[i][0], y[i][1], w[2*i-2], w[2*i-1], true)
			}
			t0r, t1r := v.sums(y[0][0], y[2][0])
			t0i, t1i := v.sums(y[0][1], y[2][1])
			t2r, sr := v.sums(y[1][0], y[3][0])
			t2i, si := v.sums(y[1][1], y[3][1])
			x[0][0], x[2][0] = v.sums(t0r, t2r)
			x[0][1], x[2][1] = v.sums(t0i, t2i)
			x[3][0], x[1][0] = v.sums(t1r, si) // i(sr + i·si) = −si + i·sr
			x[1][1], x[3][1] = v.sums(t1i, sr)
			return x
		})
}

// turn multiplies each number of a strip by the product of its row's turn and its place's.
func (v vectors) turn() {
	for _, way := range []struct {
		name, doc string
		back      bool
	}{{"turn", "multiplies the numbers of a strip by their turns, each the product of its row's and its own.", false},
		{"turnBack", "multiplies by the conjugates of what turn does.", true}} {
		TEXT(way.name+v.suffix, NOSPLIT, "func(re, im, rowRe, rowIm, wre, wim *float64, n int)")
		Doc(way.name + v.suffix + " " + way.doc)
		re, im, rowRe, rowIm, wre, wim := pointer("re"), pointer("im"), pointer("rowRe"), pointer("rowIm"), pointer("wre"), pointer("wim")
		loop(pointer("n"), 1, func() {
			tr, ti := v.broadcast(Mem{Base: rowRe}), v.broadcast(Mem{Base: rowIm})
			for disp := 0; disp < 8*strip; disp += v.bytes {
				wr, wi := v.rotate(v.load(Mem{Base: wre, Disp: disp}), v.load(Mem{Base: wim, Disp: disp}), tr, ti, false)
				r, i := v.rotate(v.load(Mem{Base: re, Disp: disp}), v.load(Mem{Base: im, Disp: disp}), wr, wi, way.back)
				VMOVUPD(r, Mem{Base: re, Disp: disp})
				VMOVUPD(i, Mem{Base: im, Disp: disp})
			}
			for _, p := range []reg.Register{re, im, wre, wim} {
				ADDQ(Imm(8*strip), p)
			}
			ADDQ(Imm(8), rowRe)
			ADDQ(Imm(8), rowIm)
		})
	}
}

// transpose copies squares of as many rows as a vector is long, mirrored.
func (v vectors) transpose() {
	TEXT("transpose"+v.suffix, NOSPLIT, "func(to, from *float64, toStep, fromStep, toNext, fromNext, n int)")
	Doc("transpose" + v.suffix + " copies n squares of a vector's length, mirrored; rows, and squares, stand so far from each other.")
	to, from, toStep, fromStep := pointer("to"), pointer("from"), doubles("toStep"), doubles("fromStep")
	toNext, fromNext := doubles("toNext"), doubles("fromNext")
	side := v.bytes / 8
	loop(pointer("n"), 1, func() {
		in := make([]reg.VecVirtual, side)
		at := GP64()
		MOVQ(from, at)
		for i := range in {
			in[i] = v.load(Mem{Base: at})
			ADDQ(fromStep, at)
		}
		MOVQ(to, at)
		for _, row := range v.mirrored(in) {
			VMOVUPD(row, Mem{Base: at})
			ADDQ(toStep, at)
		}
		ADDQ(toNext, to)
		ADDQ(fromNext, from)
	})
}

// mirrored returns the columns of a square of registers.
func (v vectors) mirrored(in []reg.VecVirtual) []reg.VecVirtual {
	side := len(in)
	pairs := make([]reg.VecVirtual, side) // low and high halves of pairs of rows, by turns
	for i := 0; i < side; i += 2 {
		pairs[i], pairs[i+1] = v.vec(), v.vec()
		VUNPCKLPD(in[i+1], in[i], pairs[i])
		VUNPCKHPD(in[i+1], in[i], pairs[i+1])
	}
	out := make([]reg.VecVirtual, side)
	shuffle := func(imm int, p, q reg.VecVirtual) reg.VecVirtual {
		x := v.vec()
		if v.wide() {
			VSHUFF64X2(U8(uint8(imm)), q, p, x)
		} else {
			VPERM2F128(U8(uint8(imm)), q, p, x)
		}
		return x
	}
	for odd := range 2 {
		if !v.wide() {
			out[odd], out[odd+2] = shuffle(0x20, pairs[odd], pairs[odd+2]), shuffle(0x31, pairs[odd], pairs[odd+2])
			continue
		}
		const even, uneven = 0x88, 0xdd // of the four quarters of each
		a, b := shuffle(even, pairs[odd], pairs[odd+2]), shuffle(uneven, pairs[odd], pairs[odd+2])
		c, d := shuffle(even, pairs[odd+4], pairs[odd+6]), shuffle(uneven, pairs[odd+4], pairs[odd+6])
		out[odd], out[odd+4] = shuffle(even, a, c), shuffle(uneven, a, c)
		out[odd+2], out[odd+6] = shuffle(even, b, d), shuffle(uneven, b, d)
	}
	return out
}
