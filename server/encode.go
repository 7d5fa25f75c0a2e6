package server

import (
	"math"

	"zerokeel/core/channel"
	"zerokeel/server/api"
)

// each encodes a list; of none it is empty, not null.
func each[T, U any](list []T, encode func(*T) U) []U {
	out := make([]U, len(list))
	for i := range list {
		out[i] = encode(&list[i])
	}
	return out
}

// nonNil returns a list that JSON writes as empty, not as null.
func nonNil[T any](list []T) []T {
	if list == nil {
		return []T{}
	}
	return list
}

// texts turns words of any kind into strings.
func texts[T ~string](list []T) []string {
	out := make([]string, len(list))
	for i, x := range list {
		out[i] = string(x)
	}
	return out
}

// deref returns what a pointer points to, or nothing.
func deref[T any](p *T) T {
	var zero T
	if p == nil {
		return zero
	}
	return *p
}

// id returns an id, or null where it is 0.
func id(x int64) *int64 {
	if x == 0 {
		return nil
	}
	return &x
}

// some returns x, or null where it is 0.
func some(x float64) *float64 {
	if x == 0 {
		return nil
	}
	return &x
}

// finite returns x, or null where it is no finite number: JSON has none.
func finite(x float64) *float64 {
	if math.IsNaN(x) || math.IsInf(x, 0) {
		return nil
	}
	return &x
}

func apiFigure(f *channel.Figure) api.Figure {
	out := api.Figure{Key: f.Key, Label: f.Label, Unit: f.Unit, Mean: f.Mean, Low: f.Low, Peak: f.Peak}
	if s := f.Settled; s != nil {
		out.Settled = &api.Settled{Value: s.Value, Half: s.Half(), Near: f.HasSettled()}
	}
	return out
}
