package main

import (
	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

// square makes numbers and their partners, which stand the other way round, together.
func (v vectors) square() {
	TEXT("square"+v.suffix, NOSPLIT, "func(ar, ai, br, bi, wre, wim, row *float64, n, side, count int)")
	Doc("square" + v.suffix + " squares n columns of count rows with their partners: a and w go upwards, b downwards from its last.")
	ar, ai, br, bi, wre, wim := pointer("ar"), pointer("ai"), pointer("br"), pointer("bi"), pointer("wre"), pointer("wim")
	row, rowsLeft := pointer("row"), pointer("count")
	reverse := v.reverser()
	at, down := GP64(), GP64() // of the columns, in bytes
	last := func(p reg.GPVirtual) Mem { return Mem{Base: p, Index: down, Scale: 1, Disp: 8 - v.bytes} }
	up := func(p reg.GPVirtual) Mem { return Mem{Base: p, Index: at, Scale: 1} }
	Label("row")
	rr, ri := v.broadcast(Mem{Base: row}), v.broadcast(Mem{Base: row, Disp: 8})
	XORQ(at, at)
	XORQ(down, down)
	left := doubles("n")
	Label("columns")
	xr, xi := v.load(up(ar)), v.load(up(ai))
	yr, yi := reverse(v.load(last(br))), reverse(v.load(last(bi)))
	er, or_ := v.add(xr, yr), v.add(xi, yi) // all of them twice what they are
	ei, oi := v.sub(xi, yi), v.sub(yr, xr)
	wr, wi := v.rotate(v.load(up(wre)), v.load(up(wim)), rr, ri, false)
	e2r, e2i := v.squared(er, ei)
	o2r, o2i := v.squared(or_, oi)
	tr, ti := v.rotate(o2r, o2i, wr, wi, false)
	sr, si := v.add(e2r, tr), v.add(e2i, ti)
	pr, pi := v.rotate(er, ei, or_, oi, false)
	pr, pi = v.add(pr, pr), v.add(pi, pi)
	VMOVUPD(v.sub(sr, pi), up(ar))
	VMOVUPD(v.add(si, pr), up(ai))
	VMOVUPD(reverse(v.add(sr, pi)), last(br))
	VMOVUPD(reverse(v.sub(pr, si)), last(bi))
	ADDQ(Imm(uint64(v.bytes)), at)
	SUBQ(Imm(uint64(v.bytes)), down)
	SUBQ(Imm(uint64(v.bytes)), left)
	JNZ(LabelRef("columns"))
	side := doubles("side")
	ADDQ(side, ar)
	ADDQ(side, ai)
	SUBQ(side, br)
	SUBQ(side, bi)
	ADDQ(Imm(16), row)
	SUBQ(Imm(1), rowsLeft)
	JNZ(LabelRef("row"))
	VZEROUPPER()
	RET()
}

// squared returns re² − im² and 2·re·im.
func (v vectors) squared(re, im Op) (outRe, outIm reg.VecVirtual) {
	outRe = v.mul(im, im)
	VFMSUB231PD(re, re, outRe)
	return outRe, v.mul(v.add(re, re), im)
}

// reverser returns what turns a vector round.
func (v vectors) reverser() func(reg.VecVirtual) reg.VecVirtual {
	if !v.wide() {
		return func(x reg.VecVirtual) reg.VecVirtual { y := v.vec(); VPERMPD(U8(0x1b), x, y); return y }
	}
	order := GLOBL("downwards", RODATA|NOPTR)
	for i := range 8 {
		DATA(8*i, U64(uint64(7-i)))
	}
	index := v.load(order)
	return func(x reg.VecVirtual) reg.VecVirtual { y := v.vec(); VPERMPD(x, index, y); return y }
}
