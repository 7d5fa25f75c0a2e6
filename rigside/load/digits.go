package load

import (
	"math"
	"math/bits"
)

// digits are the places of a number of p bits that is written with n digits, of p/n bits in the mean (Crandall and Fagin, 1994): the
// digit j begins at bit p·j/n, rounded up, and is weighted by two to the power of how much that was. The weight of a place is the
// product of its row's and its column's in the square of the transform, halved where that wraps around.
type digits struct {
	p, side, n int
	log        int       // of the side
	columns    []float64 // weights of even and odd digits by column, then what takes them off again
	rows       []float64 // weights by row, then what takes them and the transform's factors off
	constants  carried
}

// carried are constants of carrying, each as often as the widest vector is long: a row's weight, what takes it off, from where on weights
// are halved, below which a place has more room, the room of both kinds of places, and the inverses of that; then 3·2^51, a half, two, and
// all bits but the sign's.
type carried [12][8]float64

// Places in carried.
const (
	rowWeight = iota
	rowUnweight
	wraps
	bigs
	smallRoom
	bigRoom
	smallInverse
	bigInverse
	wholes
	halves
	twos
	signs
)

// rounder rounds a number of less than 2^51 to the nearest whole one, by being added and taken off again.
const rounder = 3 << 51

// factor is what the transform there and back, and squaring, multiply by, per number.
const factor = 4

func newDigits(p, side int) *digits {
	d := &digits{p: p, side: side, log: bits.Len(uint(side)) - 1, n: 2 * side * side, columns: aligned(4 * side),
		rows: make([]float64, 2*side)}
	for i := range side {
		for odd := range 2 {
			up := d.up(2*i + odd)
			d.columns[odd*side+i], d.columns[(2+odd)*side+i] = math.Exp2(up), math.Exp2(-up)
		}
		up := d.up(2 * side * i)
		d.rows[i], d.rows[side+i] = math.Exp2(up), math.Exp2(-up)/float64(factor*side*side)
	}
	between := 0.5 / float64(d.n) // two ups differ by twice that, at least
	small := math.Ldexp(1, p/d.n)
	for at, x := range map[int]float64{wraps: math.Exp2(1 - between), bigs: math.Exp2(float64(p%d.n)/float64(d.n) - between), smallRoom: small,
		bigRoom: 2 * small, smallInverse: 1 / small, bigInverse: 0.5 / small, wholes: rounder, halves: 0.5, twos: 2,
		signs: math.Float64frombits(1<<63 - 1)} {
		d.constants.set(at, x)
	}
	return d
}

func (c *carried) set(at int, x float64) {
	for i := range c[at] {
		c[at][i] = x
	}
}

// begin returns the lowest bit of a digit, and by how much that was rounded up.
func (d *digits) begin(j int) (bit int, up float64) {
	high, low := bits.Mul64(uint64(d.p), uint64(j))
	q, r := bits.Div64(high, low, uint64(d.n))
	if r == 0 {
		return int(q), 0
	}
	return int(q) + 1, 1 - float64(r)/float64(d.n)
}

func (d *digits) up(j int) float64 {
	_, up := d.begin(j)
	return up
}

// size returns the bits of a digit.
func (d *digits) size(j int) int {
	bit, _ := d.begin(j)
	next, _ := d.begin(j + 1)
	return next - bit
}

// weight returns the weight of a digit, as carry works it out.
func (d *digits) weight(j int) float64 {
	row, column := j>>(d.log+1), j>>1&(d.side-1)
	w := d.columns[j&1*d.side+column] * d.rows[row]
	if w >= d.constants[wraps][0] {
		w *= 0.5
	}
	return w
}

// carrying is what a row hands on to the next, per level a vector, and the largest distance from a whole number so far.
type carrying [4][8]float64

// carry rounds every digit of a number that comes from the transform to a whole one, takes two off the first, and passes on what is too
// large for its place, in three rounds: a carry has to wait for no other one then, and of the last one so little is left that digits are
// larger than their room by some units at most. It returns the largest distance of a digit from a whole number.
func (d *digits) carry(width Width, x numbers) (roundOff float64) {
	var state carrying
	lanes := width.lanes()
	state[0][lanes-1] = -2 // comes in from before the first digit
	constants := d.constants
	for row := range d.side {
		constants.set(rowWeight, d.rows[row])
		constants.set(rowUnweight, d.rows[d.side+row])
		carryRow(width, x.re[row*d.side:(row+1)*d.side], x.im[row*d.side:(row+1)*d.side], d.columns, &constants, &state)
	}
	// What leaves the top comes in at the bottom: 2^p is 1.
	d.push(x, state[0][lanes-1]+state[1][lanes-1]+state[2][lanes-1])
	for _, off := range state[3][:lanes] {
		if !(off <= roundOff) { // NaN too
			roundOff = off
		}
	}
	return roundOff
}

// lanes is how many numbers a vector holds.
func (w Width) lanes() int { return max(1, int(w)/64) }

// carryRowPortable carries a row in plain Go, and is the definition of what the vector kernels compute.
func carryRowPortable(even, odd, columns []float64, c *carried, state *carrying) {
	side := len(even)
	parts := [2][]float64{even, odd}
	for i := range even {
		var x, on, weights, room, inverse [2]float64
		for k := range parts {
			w, u := columns[k*side+i]*c[rowWeight][0], columns[(2+k)*side+i]*c[rowUnweight][0]
			if w >= c[wraps][0] {
				w, u = 0.5*w, 2*u
			}
			weights[k], room[k], inverse[k] = w, c[smallRoom][0], c[smallInverse][0]
			if w < c[bigs][0] {
				room[k], inverse[k] = c[bigRoom][0], c[bigInverse][0]
			}
			v := parts[k][i] * u
			x[k] = (v + rounder) - rounder
			if off := math.Abs(v - x[k]); !(off <= state[3][0]) {
				state[3][0] = off
			}
		}
		for level := range 3 {
			for k := range x {
				on[k] = (x[k]*inverse[k] + rounder) - rounder
				x[k] = math.FMA(-on[k], room[k], x[k])
			}
			x[0], x[1] = x[0]+state[level][0], x[1]+on[0]
			state[level][0] = on[1]
		}
		parts[0][i], parts[1][i] = x[0]*weights[0], x[1]*weights[1]
	}
}

// push adds a carry to the first digit, and passes on what is too large.
func (d *digits) push(x numbers, carry float64) {
	for j := 0; carry != 0 && j < d.n; j++ {
		half := &x.re[j/2]
		if j%2 == 1 {
			half = &x.im[j/2]
		}
		w, room := d.weight(j), math.Ldexp(1, d.size(j))
		whole := math.RoundToEven(*half/w) + carry
		carry = math.RoundToEven(whole / room)
		*half = (whole - carry*room) * w
	}
}

// residue returns a number modulo 2^61 − 1.
func (d *digits) residue(x numbers) uint64 {
	const check = 1<<61 - 1
	sum, negative := uint64(0), false
	at, rest := 0, 0                  // p·j divided by n, modulo 61, and what is left
	step, over := d.p/d.n%61, d.p%d.n // of them for each digit
	for j := range d.n {
		half, i := x.re, j/2
		if j%2 == 1 {
			half = x.im
		}
		digit := int64(math.RoundToEven(half[i] / d.weight(j)))
		if digit != 0 {
			negative = digit < 0
		}
		u := uint64(digit)
		if digit < 0 {
			u = uint64(check + digit)
		}
		bit := at
		if rest > 0 {
			bit++
		}
		high, low := bits.Mul64(u, 1<<bit)
		sum += low&check + (low>>61 | high<<3)
		sum = sum&check + sum>>61
		if at, rest = at+step, rest+over; rest >= d.n {
			at, rest = at+1, rest-d.n
		}
		if at >= 61 {
			at -= 61
		}
	}
	if negative { // the number meant is larger by 2^p − 1
		sum += 1<<(d.p%61) - 1
		sum = sum&check + sum>>61
	}
	if sum == check {
		return 0
	}
	return sum
}
