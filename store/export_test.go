package store

import "zerokeel/core/series"

// Unfold reads one portion of unpacked telemetry.
func Unfold(body []byte) (map[string][]series.Sample, error) { return unfold([][]byte{body}, nil) }
