package main

import (
	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

// Places of the constants of carry, each repeated over a vector of the widest kind; then of what it hands on.
const (
	perConstant = 64
	rowWeight   = iota * perConstant
	rowUnweight
	wraps // weights from here on are halved
	bigs  // those below belong to places with more room
	smallRoom
	bigRoom
	smallInverse
	bigInverse
	rounder
	half
	two
	sign // its bits but for the sign's
)

// carry rounds a row of digits and passes on what is too large, in three rounds.
func (v vectors) carry() {
	TEXT("carry"+v.suffix, NOSPLIT, "func(even, odd, weights, constants, state *float64, n int)")
	Doc("carry" + v.suffix + " rounds n even digits and n odd ones, and passes on what is too large for their places.")
	digits := [2]reg.GPVirtual{pointer("even"), pointer("odd")}
	weightsAt, constants, state := pointer("weights"), pointer("constants"), pointer("state")
	n := pointer("n")
	row := GP64() // of the weights, in bytes: even, odd, and what takes them off
	MOVQ(n, row)
	SHLQ(U8(3), row)
	row3 := GP64()
	LEAQ(Mem{Base: row, Index: row, Scale: 2}, row3)
	constant := func(at int) Mem { return Mem{Base: constants, Disp: at - perConstant} }
	weight := func(odd int) Mem {
		if odd == 1 {
			return Mem{Base: weightsAt, Index: row, Scale: 1}
		}
		return Mem{Base: weightsAt}
	}
	unweight := func(odd int) Mem {
		if odd == 1 {
			return Mem{Base: weightsAt, Index: row3, Scale: 1}
		}
		return Mem{Base: weightsAt, Index: row, Scale: 2}
	}
	// weighed returns a digit's weight, and whether it was halved.
	weighed := func(odd int) (w reg.VecVirtual, halved func(x reg.VecVirtual, by int)) {
		w = v.mul(v.load(weight(odd)), constant(rowWeight))
		over := v.compares(constant(wraps), w, notBelow)
		halved = func(x reg.VecVirtual, by int) { v.choose(over, v.mul(x, constant(by)), x) }
		halved(w, half)
		return w, halved
	}
	round := func(x Op) reg.VecVirtual { return v.sub(v.add(x, constant(rounder)), constant(rounder)) }
	loop(n, v.bytes/8, func() {
		var d, c, weights [2]reg.VecVirtual
		var places [2]func() (inverse, room reg.VecVirtual)
		// split parts a digit from what is too large for it.
		split := func(i int, x reg.VecVirtual) {
			inverse, room := places[i]()
			c[i] = round(v.mul(x, inverse))
			VFNMADD231PD(room, c[i], x)
			d[i] = x
		}
		for i := range digits {
			w, halved := weighed(i)
			weights[i] = w
			big := v.compares(constant(bigs), w, below)
			places[i] = v.once(func() (inverse, room reg.VecVirtual) {
				inverse, room = v.load(constant(smallInverse)), v.load(constant(smallRoom))
				v.choose(big, constant(bigInverse), inverse)
				v.choose(big, constant(bigRoom), room)
				return inverse, room
			})
			u := v.mul(v.load(unweight(i)), constant(rowUnweight))
			halved(u, two)
			x := v.mul(v.load(Mem{Base: digits[i]}), u)
			whole := round(x)
			off := v.sub(x, whole)
			v.unsigned(off, constant(sign))
			VMAXPD(off, v.load(Mem{Base: state, Disp: 3 * perConstant}), off)
			VMOVUPD(off, Mem{Base: state, Disp: 3 * perConstant})
			split(i, whole)
		}
		for level := range 3 {
			before := Mem{Base: state, Disp: level * perConstant}
			came := v.shifted(v.load(before), c[1])
			VMOVUPD(c[1], before)
			even, odd := v.add(d[0], came), v.add(d[1], c[0])
			if level == 2 {
				d[0], d[1] = even, odd
				break
			}
			split(0, even)
			split(1, odd)
		}
		for i := range digits {
			if !v.wide() {
				weights[i], _ = weighed(i)
			}
			VMOVUPD(v.mul(d[i], weights[i]), Mem{Base: digits[i]})
			ADDQ(Imm(uint64(v.bytes)), digits[i])
		}
		ADDQ(Imm(uint64(v.bytes)), weightsAt)
	})
}

// once keeps what is worked out in registers where there are enough of them; else it is worked out again each time.
func (v vectors) once(make func() (a, b reg.VecVirtual)) func() (a, b reg.VecVirtual) {
	if !v.wide() {
		return make
	}
	a, b := make()
	return func() (reg.VecVirtual, reg.VecVirtual) { return a, b }
}

// Comparisons, as the processor numbers them.
const (
	below    = 0x11
	notBelow = 0x1d
)

// compares returns a mask of where a number is so against another.
func (v vectors) compares(than Mem, x reg.VecVirtual, how uint8) reg.Register {
	if v.wide() {
		k := K()
		VCMPPD(U8(how), than, x, k)
		return k
	}
	mask := v.vec()
	VCMPPD(U8(how), than, x, mask)
	return mask
}

// choose puts other numbers where a mask says so.
func (v vectors) choose(mask reg.Register, other Op, x reg.VecVirtual) {
	if v.wide() {
		VMOVUPD(other, mask, x)
		return
	}
	VBLENDVPD(mask, other, x, x)
}

// unsigned clears the sign of every number.
func (v vectors) unsigned(x reg.VecVirtual, mask Mem) {
	if v.wide() {
		VPANDQ(mask, x, x)
		return
	}
	VANDPD(mask, x, x)
}

// shifted moves a vector up by one, and puts the last of another one first.
func (v vectors) shifted(before, x reg.VecVirtual) reg.VecVirtual {
	y := v.vec()
	if v.wide() {
		VALIGNQ(U8(7), before, x, y)
		return y
	}
	VPERM2F128(U8(0x21), x, before, y)
	VSHUFPD(U8(0x5), x, y, y)
	return y
}
