package forecast

import (
	"math"

	"gonum.org/v1/gonum/mat"

	"zerokeel/core/govern"
	"zerokeel/core/load"
	"zerokeel/core/machine"
)

// figure is one of the figures of a record that are held against a prediction.
type figure int

// held is by how much what a limiter holds lies above its limit, at the clock that was measured: what decides which clock a
// limit leaves.
const (
	power figure = iota
	request
	delivered
	hottest
	coolant
	held
	figures
)

// limiters that hold a clock down for good.
var holding = []govern.Limiter{govern.SustainedPower, govern.SustainedCurrent, govern.PeakCurrent, govern.Temperature}

// What the models leave out makes every figure stray from them under every load, by about so much (power as a share; held as a
// share of the limit, or in kelvin), and by nearly the same under like trims: its covariance falls with the distance of two
// states, of which one part is common to all.
var strays = [figures]float64{power: 0.02, request: 0.005, delivered: 0.005, hottest: 1.3, coolant: 0.7, held: 0.02}

// strayC is held's of a temperature limit, in K.
const strayC = 1.2

// common is the part of a stray's variance that does not depend on where the machine stands.
const common = 0.5

// place is where a machine stands, in units over which strays change.
type place [4]float64

func placeOf(at machine.At) place {
	const mhz, volts, logWatts, kelvin = 600, 0.12, 0.5, 25
	return place{at.MHz / mhz, at.RequestV / volts, math.Log(math.Max(1, at.PackageW)) / logWatts, at.HottestC / kelvin}
}

// like is the correlation of the strays at two places.
func like(a, b place) float64 {
	square := 0.0
	for i := range a {
		square += (a[i] - b[i]) * (a[i] - b[i])
	}
	return common + (1-common)*math.Exp(-square/2)
}

// group names figures that stray together: one figure under one load, and of held by one limiter.
type group struct {
	load load.Kind
	of   figure
	by   govern.Limiter
}

// sd is the standard deviation of a group's strays, at some watts.
func (g group) sd(watts float64) float64 {
	switch {
	case g.of == power:
		return strays[power] * watts
	case g.of == held && g.by == govern.Temperature:
		return strayC
	}
	return strays[g.of]
}

// residual is a measured figure less its prediction.
type residual struct {
	group
	record int
	off    float64
	sigma  float64 // of the measurement
	at     place
	watts  float64
}

// known is what the records say of a group: the residuals that the fit left, with their covariance, and how the predictions hang
// on the unknowns.
type known struct {
	at    []place
	sd    []float64
	off   *mat.VecDense
	slope *mat.Dense // of the predictions, by unknown
	chol  mat.Cholesky
}

// gather sorts residuals into their groups, and lists these as they appear. slopes has a row for each residual.
func gather(list []residual, slopes *mat.Dense) (out map[group]*known, order []group, err error) {
	rows := map[group][]int{}
	for i := range list {
		g := list[i].group
		if rows[g] == nil {
			order = append(order, g)
		}
		rows[g] = append(rows[g], i)
	}
	out = map[group]*known{}
	for _, g := range order {
		of := rows[g]
		n := len(of)
		k := &known{off: mat.NewVecDense(n, nil), slope: mat.NewDense(n, unknowns, nil)}
		cov := mat.NewSymDense(n, nil)
		for i, row := range of {
			r := &list[row]
			k.at, k.sd = append(k.at, r.at), append(k.sd, g.sd(r.watts))
			k.slope.SetRow(i, slopes.RawRowView(row))
			most := outlier * math.Hypot(r.sigma, k.sd[i])
			k.off.SetVec(i, math.Max(-most, math.Min(most, r.off)))
			for j := range i {
				cov.SetSym(i, j, k.sd[i]*k.sd[j]*like(k.at[i], k.at[j]))
			}
			cov.SetSym(i, i, k.sd[i]*k.sd[i]+r.sigma*r.sigma)
		}
		if !k.chol.Factorize(cov) {
			return nil, nil, errSingular
		}
		out[g] = k
	}
	return out, order, nil
}

// stray is how a figure is expected to stray from its prediction at a place, with its variance, and how it then hangs on the
// unknowns beside its own slope: what the records said of it, they said under the same unknowns.
type stray struct {
	off, variance float64
	slope         [unknowns]float64
}

// strayAt returns how a figure strays at a place.
func (f *Fit) strayAt(g group, at place, watts float64) stray {
	sd := g.sd(watts)
	out := stray{variance: sd * sd}
	k := f.known[g]
	if k == nil {
		return out
	}
	n := len(k.at)
	cov := mat.NewVecDense(n, nil)
	for i := range n {
		cov.SetVec(i, sd*k.sd[i]*like(at, k.at[i]))
	}
	weights := mat.NewVecDense(n, nil)
	if err := k.chol.SolveVecTo(weights, cov); err != nil {
		return out
	}
	out.off = mat.Dot(weights, k.off)
	out.variance = math.Max(0, out.variance-mat.Dot(weights, cov))
	for j := range unknowns {
		for i := range n {
			out.slope[j] -= weights.AtVec(i) * k.slope.At(i, j)
		}
	}
	return out
}
