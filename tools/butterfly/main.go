// Command butterfly writes the vector kernels of the transform of package rigside/load as Go assembly. Run it through go
// generate there.
package main

import (
	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

func main() {
	ConstraintExpr("amd64")
	for _, width := range []struct {
		suffix string
		bytes  int
		vec    func() reg.VecVirtual
	}{{"512", 64, ZMM}, {"256", 32, YMM}} {
		forward("forward"+width.suffix, width.bytes, width.vec)
		backward("backward"+width.suffix, width.bytes, width.vec)
		turn("turn"+width.suffix, width.bytes, width.vec)
	}
	Generate()
}

// arms are four rows of complex numbers and how to step along them.
type arms struct {
	re, im [4]reg.GPVirtual
	left   reg.GPVirtual
	w      [6]reg.VecVirtual
}

func signature(name, doc string, vec func() reg.VecVirtual) arms {
	TEXT(name, NOSPLIT, "func(re, im *float64, stride, n int, w *float64)")
	Doc(name + " " + doc)
	var a arms
	a.re[0], a.im[0] = Load(Param("re"), GP64()).(reg.GPVirtual), Load(Param("im"), GP64()).(reg.GPVirtual)
	stride := Load(Param("stride"), GP64())
	a.left = Load(Param("n"), GP64()).(reg.GPVirtual)
	w := Load(Param("w"), GP64())
	SHLQ(U8(3), stride)
	for i := 1; i < 4; i++ {
		a.re[i], a.im[i] = GP64(), GP64()
		LEAQ(Mem{Base: a.re[i-1], Index: stride, Scale: 1}, a.re[i])
		LEAQ(Mem{Base: a.im[i-1], Index: stride, Scale: 1}, a.im[i])
	}
	for i := range a.w {
		a.w[i] = vec()
		VBROADCASTSD(Mem{Base: w, Disp: 8 * i}, a.w[i])
	}
	return a
}

func (a arms) loop(bytes int, body func()) {
	Label("next")
	body()
	for i := range a.re {
		ADDQ(U8(bytes), a.re[i])
		ADDQ(U8(bytes), a.im[i])
	}
	SUBQ(U8(bytes/8), a.left)
	JNZ(LabelRef("next"))
	VZEROUPPER()
	RET()
}

func forward(name string, bytes int, vec func() reg.VecVirtual) {
	a := signature(name, "makes one butterfly of four rows, and turns the last three: the forward transform.", vec)
	a.loop(bytes, func() {
		xr, xi := a.load(vec)
		sum := func(p, q reg.VecVirtual) (s, d reg.VecVirtual) {
			s, d = vec(), vec()
			VADDPD(q, p, s)
			VSUBPD(q, p, d)
			return s, d
		}
		t0r, t1r := sum(xr[0], xr[2])
		t0i, t1i := sum(xi[0], xi[2])
		t2r, sr := sum(xr[1], xr[3])
		t2i, si := sum(xi[1], xi[3])
		y0r, y2r := sum(t0r, t2r)
		y0i, y2i := sum(t0i, t2i)
		y1r, y3r := sum(t1r, si) // −i(sr + i·si) = si − i·sr
		y3i, y1i := sum(t1i, sr)
		a.store(0, y0r, y0i)
		a.turned(1, y1r, y1i, a.w[0], a.w[1], false, vec)
		a.turned(2, y2r, y2i, a.w[2], a.w[3], false, vec)
		a.turned(3, y3r, y3i, a.w[4], a.w[5], false, vec)
	})
}

func backward(name string, bytes int, vec func() reg.VecVirtual) {
	a := signature(name, "undoes forward, but for a factor of four.", vec)
	a.loop(bytes, func() {
		yr, yi := a.load(vec)
		for i := 1; i < 4; i++ {
			yr[i], yi[i] = rotate(yr[i], yi[i], a.w[2*i-2], a.w[2*i-1], true, vec)
		}
		sum := func(p, q reg.VecVirtual) (s, d reg.VecVirtual) {
			s, d = vec(), vec()
			VADDPD(q, p, s)
			VSUBPD(q, p, d)
			return s, d
		}
		t0r, t1r := sum(yr[0], yr[2])
		t0i, t1i := sum(yi[0], yi[2])
		t2r, sr := sum(yr[1], yr[3])
		t2i, si := sum(yi[1], yi[3])
		x0r, x2r := sum(t0r, t2r)
		x0i, x2i := sum(t0i, t2i)
		x3r, x1r := sum(t1r, si) // i(sr + i·si) = −si + i·sr
		x1i, x3i := sum(t1i, sr)
		a.store(0, x0r, x0i)
		a.store(1, x1r, x1i)
		a.store(2, x2r, x2i)
		a.store(3, x3r, x3i)
	})
}

func (a arms) load(vec func() reg.VecVirtual) (re, im [4]reg.VecVirtual) {
	for i := range re {
		re[i], im[i] = vec(), vec()
		VMOVUPD(Mem{Base: a.re[i]}, re[i])
		VMOVUPD(Mem{Base: a.im[i]}, im[i])
	}
	return re, im
}

func (a arms) store(i int, re, im reg.VecVirtual) {
	VMOVUPD(re, Mem{Base: a.re[i]})
	VMOVUPD(im, Mem{Base: a.im[i]})
}

func (a arms) turned(i int, re, im, wr, wi reg.VecVirtual, back bool, vec func() reg.VecVirtual) {
	re, im = rotate(re, im, wr, wi, back, vec)
	a.store(i, re, im)
}

// rotate multiplies by w, or by its conjugate: first the product with the imaginary part, rounded, then a fused
// multiply-add, as the plain code does.
func rotate(re, im, wr, wi reg.VecVirtual, back bool, vec func() reg.VecVirtual) (outRe, outIm reg.VecVirtual) {
	outRe, outIm = vec(), vec()
	VMULPD(wi, im, outRe)
	VMULPD(wi, re, outIm)
	if back {
		VFMADD231PD(wr, re, outRe) // re·wr + im·wi
		VFMSUB231PD(wr, im, outIm) // im·wr − re·wi
	} else {
		VFMSUB231PD(wr, re, outRe)
		VFMADD231PD(wr, im, outIm)
	}
	return outRe, outIm
}

// turn multiplies n complex numbers, each by one of its own.
func turn(name string, bytes int, vec func() reg.VecVirtual) {
	for _, way := range []struct {
		suffix, doc string
		back        bool
	}{{"", "multiplies n numbers by those of w.", false}, {"Back", "multiplies n numbers by the conjugates of those of w.", true}} {
		TEXT(name+way.suffix, NOSPLIT, "func(re, im, wre, wim *float64, n int)")
		Doc(name + way.suffix + " " + way.doc)
		re, im := Load(Param("re"), GP64()), Load(Param("im"), GP64())
		wre, wim := Load(Param("wre"), GP64()), Load(Param("wim"), GP64())
		left := Load(Param("n"), GP64())
		Label("next")
		r, i, wr, wi := vec(), vec(), vec(), vec()
		VMOVUPD(Mem{Base: re}, r)
		VMOVUPD(Mem{Base: im}, i)
		VMOVUPD(Mem{Base: wre}, wr)
		VMOVUPD(Mem{Base: wim}, wi)
		r, i = rotate(r, i, wr, wi, way.back, vec)
		VMOVUPD(r, Mem{Base: re})
		VMOVUPD(i, Mem{Base: im})
		for _, p := range []reg.Register{re, im, wre, wim} {
			ADDQ(U8(bytes), p)
		}
		SUBQ(U8(bytes/8), left)
		JNZ(LabelRef("next"))
		VZEROUPPER()
		RET()
	}
}
