package demo

import (
	"context"
	"crypto/rand"
	"fmt"
	"time"

	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/demo/rigs"
	"zerokeel/server/api"
	"zerokeel/standin"
)

// historySpan is how far back on the rig's clock the history begins.
const historySpan = 6 * time.Hour

// load adds the rigs and makes Petrel's history: stock runs into its temperature limit, memory is proven, the limits
// are brought inside the maker's, and the first step of all cores fails on core 5.
func (d *demo) load(ctx context.Context, c *client) error {
	text, err := rigs.Standin("petrel")
	if err != nil {
		return err
	}
	cfg, err := standin.ParseConfig(text)
	if err != nil {
		return err
	}
	d.state.Password = rand.Text()
	if err := d.addRigs(ctx, c, cfg); err != nil {
		return err
	}
	if err := d.startPetrel(loadingSpeed); err != nil {
		return err
	}
	if err := c.untilLinked(ctx, d.state.PetrelRig); err != nil {
		return err
	}
	if err := petrelHistory(ctx, &rig{client: c, id: d.state.PetrelRig}); err != nil {
		return err
	}
	d.startAgent()
	if err := d.tryHere(ctx, c); err != nil {
		return err
	}
	d.state.Loaded = true
	if err := d.save(); err != nil {
		return err
	}
	d.petrel.stop()
	return d.startPetrel(d.opt.Speed)
}

// tryHere runs a short real trial on this computer, so that its sheets are not empty.
func (d *demo) tryHere(ctx context.Context, c *client) error {
	if err := c.untilLinked(ctx, d.state.HereRig); err != nil {
		return err
	}
	name := "First look"
	_, err := (&rig{client: c, id: d.state.HereRig}).trial(ctx, api.StartTrialRequest{Name: &name, Legs: []api.LegRequest{leg("heavy", 10)}})
	return err
}

func (d *demo) addRigs(ctx context.Context, c *client, cfg *standin.Config) error {
	p := cfg.Parts
	for _, one := range []struct {
		kind, id string
		sheet    any
	}{{"processor", p.Processor.ID, p.Processor}, {"board", p.Board.ID, p.Board}, {"cooler", p.Cooler.ID, p.Cooler}, {"memory", p.Memory.ID, p.Memory}} {
		if err := c.call(ctx, "PUT", "/api/parts/"+one.kind+"/"+one.id, one.sheet, nil); err != nil {
			return err
		}
	}
	simulated, user, ambient := true, boardUser, cfg.AmbientC
	var petrel, here api.CreatedRig
	if err := c.call(ctx, "POST", "/api/rigs", api.CreateRigRequest{
		Name: "Petrel", Simulated: &simulated, AmbientC: &ambient,
		Parts:    &api.PartNames{Processor: p.Processor.ID, Board: p.Board.ID, Cooler: p.Cooler.ID, Memory: p.Memory.ID},
		Firmware: &api.FirmwareAccess{Address: "http://" + d.redfish, User: &user, Password: &d.state.Password},
	}, &petrel); err != nil {
		return err
	}
	if err := c.call(ctx, "POST", "/api/rigs", api.CreateRigRequest{Name: "This computer"}, &here); err != nil {
		return err
	}
	d.state.PetrelRig, d.state.PetrelToken = petrel.Rig.Id, petrel.Token
	d.state.HereRig, d.state.HereToken = here.Rig.Id, here.Token
	return nil
}

// petrelHistory makes the history of Petrel.
func petrelHistory(ctx context.Context, r *rig) error {
	trims, err := r.trims(ctx)
	if err != nil {
		return err
	}
	stock := trims[0].Id
	number := part.Number
	const minute = 60
	steps := []step{
		{trim: stock, name: "Baseline", legs: []api.LegRequest{leg("heavy", 10*minute), leg("idle", 2*minute)}, scores: true, want: "held"},
		{name: "memory", reason: "Rated profile first, proven alone, so that memory faults are not blamed on the processor.",
			settings: trim.Settings{"memory.profile": part.Choice("rated")},
			legs:     []api.LegRequest{leg("mixed", 10*minute)}, scores: true, want: "held"},
		{name: "limits", reason: "Back inside the maker's limits; stock ran into its temperature limit.",
			settings: trim.Settings{"limit.ppt": number(142), "limit.tdc": number(125), "limit.edc": number(180), "limit.temperature": number(90)},
			legs:     []api.LegRequest{leg("heavy", 10*minute), leg("light", 8*minute), leg("transition", 5*minute)}, scores: true, want: "held"},
		{name: "all cores \u221220", reason: "First step of the curve, all cores at once.",
			settings: trim.Settings{"curve.all": number(-20)},
			legs:     []api.LegRequest{leg("heavy", 10*minute), leg("light", 8*minute)}, want: "miscalculated"},
	}
	last, proven := stock, stock
	for _, s := range steps {
		if s.trim == 0 {
			if s.trim, err = r.create(ctx, last, s); err != nil {
				return err
			}
		}
		verdict, err := r.walk(ctx, s)
		if err != nil {
			return fmt.Errorf("%s: %w", s.name, err)
		}
		if verdict != s.want {
			return fmt.Errorf("%s: the trial ended %s, the story wants %s", s.name, verdict, s.want)
		}
		last = s.trim
		if verdict == "held" {
			proven = s.trim
		}
	}
	return r.fit(ctx, proven)
}

// step is one trim of a history: made unless it is stock, fitted, proven, and scored when it held.
type step struct {
	trim         int64
	name, reason string
	settings     trim.Settings
	legs         []api.LegRequest
	scores       bool
	want         string
}

func leg(load string, seconds float64) api.LegRequest {
	kind := api.LegRequestLoad(load)
	return api.LegRequest{Load: &kind, Seconds: &seconds}
}

// rig is one rig reached through the API.
type rig struct {
	*client
	id int64
}

func (r *rig) trims(ctx context.Context) ([]api.Trim, error) {
	var list []api.Trim
	err := r.call(ctx, "GET", fmt.Sprintf("/api/rigs/%d/trims", r.id), nil, &list)
	return list, err
}

func (r *rig) create(ctx context.Context, parent int64, s step) (int64, error) {
	var t api.Trim
	err := r.call(ctx, "POST", fmt.Sprintf("/api/rigs/%d/trims", r.id), api.CreateTrimRequest{Parent: parent, Name: s.name, Reason: &s.reason, Settings: s.settings}, &t)
	return t.Id, err
}

func (r *rig) fit(ctx context.Context, trimID int64) error {
	var f api.Fitting
	if err := r.call(ctx, "POST", fmt.Sprintf("/api/rigs/%d/fittings", r.id), api.FitRequest{Trim: trimID}, &f); err != nil {
		return err
	}
	if err := until(ctx, func() (bool, error) {
		err := r.call(ctx, "GET", fmt.Sprintf("/api/fittings/%d", f.Id), nil, &f)
		return f.Ended, err
	}); err != nil {
		return err
	}
	if f.State != "in force" {
		return fmt.Errorf("the fitting ended %s: %s", f.State, f.Problem)
	}
	return nil
}

// walk fits a step's trim, runs its proof, and takes its scores; it returns the verdict of the proof.
func (r *rig) walk(ctx context.Context, s step) (string, error) {
	if err := r.fit(ctx, s.trim); err != nil {
		return "", err
	}
	verdict, err := r.trial(ctx, api.StartTrialRequest{Name: &s.name, Legs: s.legs})
	if err != nil || verdict != "held" || !s.scores {
		return verdict, err
	}
	purpose, name := api.StartTrialRequestPurposeScore, "Benchmark"
	var runs []api.LegRequest
	for _, y := range []string{"all-core", "single-core"} {
		for range 3 {
			runs = append(runs, api.LegRequest{Yardstick: &y})
		}
	}
	return r.trial(ctx, api.StartTrialRequest{Name: &name, Purpose: &purpose, Legs: runs})
}

func (r *rig) trial(ctx context.Context, in api.StartTrialRequest) (string, error) {
	var t api.Trial
	if err := r.call(ctx, "POST", fmt.Sprintf("/api/rigs/%d/trials", r.id), in, &t); err != nil {
		return "", err
	}
	err := until(ctx, func() (bool, error) {
		err := r.call(ctx, "GET", fmt.Sprintf("/api/trials/%d", t.Id), nil, &t)
		return t.Ended, err
	})
	return t.Verdict, err
}
