package trim

import "zerokeel/core/part"

// Blame says which of some trims that held is nearest to one that failed, by its place, and the settings by which the failed one differs
// from it: the smallest set that must hold what broke it. A setting that counts for nothing under both is no difference. Of equals the
// later one is told; without any that held the place is -1.
func Blame(set *part.Set, failed Settings, held []Settings) (nearest int, keys []string) {
	stock := Stock(set.Processor, set.Board)
	bad := stock.With(failed)
	nearest = -1
	for i := range held {
		good := stock.With(held[i])
		own := []string{}
		for _, c := range Diff(good, bad) {
			if Inert(set, good, c.Key) == "" || Inert(set, bad, c.Key) == "" {
				own = append(own, c.Key)
			}
		}
		if nearest < 0 || len(own) <= len(keys) {
			nearest, keys = i, own
		}
	}
	return nearest, keys
}
