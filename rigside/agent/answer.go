package agent

import (
	"errors"

	"zerokeel/core/invalid"
	"zerokeel/link"
)

// answer sets what the server asks to be set in the running system, and tells how it stands. While a leg runs, nothing is set.
func (a *agent) answer(ask link.Ask) link.Answer {
	if ask.Power != "" {
		return a.power(ask.Power)
	}
	var out link.Answer
	if a.system == nil {
		out.Faults.Add("", "set it in firmware", "nothing can be set in this machine's running system")
		return out
	}
	var err error
	if len(ask.Set) > 0 || ask.Restore {
		if err = a.whileAtRest(func() error {
			if ask.Restore {
				return a.system.Restore()
			}
			return a.system.Set(ask.Set)
		}); err != nil {
			a.cfg.Log.Warn("the running system is not set as asked", "error", err)
		}
	}
	out.Offer = a.system.Offer()
	if faults := (invalid.List)(nil); errors.As(err, &faults) {
		out.Faults = faults
	} else if err != nil {
		out.Faults = invalid.List{{Problem: err.Error(), Remedy: "look at the agent's log"}}
	}
	return out
}

// whileAtRest does something between two legs.
func (a *agent) whileAtRest(do func() error) error {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.leg != nil {
		return errors.New("a leg runs on it")
	}
	return do()
}

// power shuts the machine down or restarts it, once the answer is on its way and if nothing runs.
func (a *agent) power(how link.Power) (out link.Answer) {
	if a.cfg.Power == nil {
		out.Faults.Add("power", "do it at the machine", "its agent may not shut it down")
		return out
	}
	if err := a.whileAtRest(func() error { return a.cfg.Power(how) }); err != nil {
		out.Faults.Add("power", "stop the trial first, or do it at the machine", "%v", err)
	}
	return out
}
