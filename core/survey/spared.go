package survey

// Spared is what a fleet's word was worth to a rig: the bench time that its own trials would have had to run longer without it.
type Spared struct {
	Minutes float64 // of bench time that the trials took
	Depth   float64 // that the trials alone allow after all of them, mean of the cores, in steps
	Alone   float64 // after so many minutes that was allowed, for good, by the trials alone
	With    float64 // and with the fleet's word; Minutes where it is not yet
	Ends    float64 // the depth that is allowed with the fleet's word after all trials
}

// Worth is how many minutes were spared; 0 where the fleet's word made for caution.
func (s *Spared) Worth() float64 {
	if s.With >= s.Alone {
		return 0
	}
	return s.Alone - s.With
}

// sparedLooks is into how many parts the time of all trials is cut, after each of which is looked what is allowed then.
const sparedLooks = 12

// Spare replays trials, in the order in which they were made, with what the setup's prior says and with what a sheet alone does. The order
// stays as it was, though without the fleet other trials might have been made. The error lists every fault of what is told.
func Spare(setup Setup, sheet Prior, trials []Past, uses []Use) (Spared, error) {
	byItself := setup
	byItself.Prior = sheet
	at, alone, err := replay(&byItself, trials, uses)
	if err != nil || len(alone) == 0 {
		return Spared{}, err
	}
	_, with, err := replay(&setup, trials, uses)
	if err != nil {
		return Spared{}, err
	}
	last := len(at) - 1
	out := Spared{Minutes: at[last], Depth: alone[last], Ends: with[last]}
	out.Alone, out.With = reached(at, alone, out.Depth), reached(at, with, out.Depth)
	return out, nil
}

// replay tells which depth is allowed after some shares of the time that trials took.
func replay(setup *Setup, trials []Past, uses []Use) (at, depths []float64, err error) {
	s, err := New(*setup)
	if err != nil {
		return nil, nil, err
	}
	if err := s.Learn(nil, uses); err != nil {
		return nil, nil, err
	}
	all := 0.0
	for i := range trials {
		all += setup.Costs.Of(&trials[i].Outcome)
	}
	spent, from, looked := 0.0, 0, 0.0
	for i := range trials {
		spent += setup.Costs.Of(&trials[i].Outcome)
		if spent < looked+all/sparedLooks && i < len(trials)-1 {
			continue
		}
		if err := s.Learn(trials[from:i+1], nil); err != nil {
			return nil, nil, err
		}
		from, looked = i+1, spent
		sum := 0.0
		found := s.Recommend(setup.Risk24h)
		for _, x := range found {
			sum += float64(x)
		}
		at, depths = append(at, spent), append(depths, sum/float64(len(found)))
	}
	return at, depths, nil
}

// reached is when a depth is allowed for good.
func reached(at, depths []float64, depth float64) float64 {
	for i := len(at) - 1; i >= 0; i-- {
		if depths[i] > depth {
			return at[min(i+1, len(at)-1)]
		}
	}
	return at[0]
}
