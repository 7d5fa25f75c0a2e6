package demo

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"golang.org/x/sync/errgroup"

	"zerokeel/core/ladder"
	"zerokeel/core/load"
	"zerokeel/core/trim"
	"zerokeel/core/yardstick"
	"zerokeel/demo/rigs"
	"zerokeel/server/api"
	"zerokeel/standin"
)

// How far back on the rig's clock a history begins, and one with a survey: so that on a slow computer, too, it ends before now. A rig's
// clock runs on while the server thinks.
const (
	historySpan = 36 * time.Hour
	surveySpan  = 5 * 24 * time.Hour
)

// bench is what the demo's workshop says of itself.
var bench = api.Workshop{Name: "Low Quay Bench", Note: "Ask at the bench when the machine does other than this sheet says. Bring the sheet along.",
	Currency: "€", PerKWh: 0.31, Hours: api.DayHours{Idle: 4, Light: 3, Mixed: 2, Heavy: 0.5}}

// load adds the rigs and makes their histories: that of the first by itself until all but its last trial have their numbers, since
// the pictures of the documentation count on those, the others side by side. This computer's own trial is run when it has the time.
func (d *demo) load(ctx context.Context, c *client) error {
	d.state.Password = rand.Text()
	if err := c.call(ctx, "PUT", "/api/workshop", bench, nil); err != nil {
		return err
	}
	first := &stories[0]
	if err := d.addRig(ctx, c, first); err != nil {
		return err
	}
	var here api.CreatedRig
	if err := c.call(ctx, "POST", "/api/rigs", api.CreateRigRequest{Name: "This computer"}, &here); err != nil {
		return err
	}
	d.state.HereRig, d.state.HereToken = here.Rig.Id, here.Token
	group, inner := errgroup.WithContext(ctx)
	numbered, told := make(chan struct{}), make(chan struct{}, len(stories))
	group.Go(func() error { return d.tell(inner, c, first, sync.OnceFunc(func() { close(numbered) })) })
	select {
	case <-numbered:
	case <-inner.Done():
		return group.Wait()
	}
	for i := range stories[1:] {
		if err := d.addRig(ctx, c, &stories[1+i]); err != nil {
			return errors.Join(err, group.Wait())
		}
	}
	d.startAgent()
	for i := range stories[1:] {
		group.Go(func() error {
			defer func() { told <- struct{}{} }()
			return d.tell(inner, c, &stories[1+i], func() {})
		})
	}
	group.Go(func() error {
		for range len(stories) - 2 { // the longest goes on alone
			<-told
		}
		return d.tryHere(inner, c)
	})
	if err := group.Wait(); err != nil {
		return err
	}
	d.state.Loaded = true
	return d.save()
}

// tell makes the history of one rig, with its stand-in at high speed, and leaves it running at the demo's own. numbered is called
// when all trims and, but for the last one, all trials have their numbers.
func (d *demo) tell(ctx context.Context, c *client, s *story, numbered func()) error {
	span := historySpan
	if slices.ContainsFunc(s.steps, func(one step) bool { return one.surveyMin > 0 }) {
		span = surveySpan
	}
	if err := d.startStandin(s.standin, loadingSpeed, loadingRest, time.Now().Add(-span)); err != nil {
		return err
	}
	id := d.state.Rigs[s.standin]
	if err := c.untilLinked(ctx, id, true, d.standin(s.standin)); err != nil {
		return err
	}
	r := &rig{client: c, id: id, trialsLeft: s.trials(), numbered: numbered,
		board: &hands{address: "http://" + d.boards[s.standin], password: d.state.Password}}
	if err := s.tell(ctx, r); err != nil {
		return fmt.Errorf("%s: %w", s.name, err)
	}
	// The link of the start before must be gone, or what comes next would meet the rig as it was.
	d.stopStandin(s.standin)
	if err := c.untilLinked(ctx, id, false, nil); err != nil {
		return err
	}
	if err := d.startStandin(s.standin, d.opt.Speed, d.opt.Speed, time.Now()); err != nil || s.open == nil {
		return err
	}
	if err := c.untilLinked(ctx, id, true, d.standin(s.standin)); err != nil {
		return err
	}
	return s.open(ctx, r)
}

// tryHere runs a short real trial on this computer, so that its sheets are not empty.
func (d *demo) tryHere(ctx context.Context, c *client) error {
	if err := c.untilLinked(ctx, d.state.HereRig, true, d.agent); err != nil {
		return err
	}
	name := "First look"
	_, err := (&rig{client: c, id: d.state.HereRig}).trial(ctx, api.StartTrialRequest{Name: &name, Legs: []api.LegRequest{leg("heavy", 10)}})
	return err
}

// addRig stores the part sheets of a stand-in and adds its rig.
func (d *demo) addRig(ctx context.Context, c *client, s *story) error {
	text, err := rigs.Standin(s.standin)
	if err != nil {
		return err
	}
	cfg, err := standin.ParseConfig(text)
	if err != nil {
		return err
	}
	p := cfg.Parts
	for _, one := range []struct {
		kind, id string
		sheet    any
	}{{"processor", p.Processor.ID, p.Processor}, {"board", p.Board.ID, p.Board}, {"cooler", p.Cooler.ID, p.Cooler},
		{"memory", p.Memory.ID, p.Memory}} {
		if err := c.call(ctx, "PUT", "/api/parts/"+one.kind+"/"+one.id, one.sheet, nil); err != nil {
			return err
		}
	}
	simulated, user := true, boardUser
	request := api.CreateRigRequest{
		Name: s.name, Simulated: &simulated, AmbientC: &cfg.AmbientC,
		Parts: &api.PartNames{Processor: p.Processor.ID, Board: p.Board.ID, Cooler: p.Cooler.ID, Memory: p.Memory.ID},
	}
	if !s.byHand {
		request.Firmware = &api.FirmwareAccess{Address: "http://" + d.boards[s.standin], User: &user, Password: &d.state.Password}
	}
	var made api.CreatedRig
	if err := c.call(ctx, "POST", "/api/rigs", request, &made); err != nil {
		return err
	}
	d.state.Rigs[s.standin], d.state.Tokens[s.standin] = made.Rig.Id, made.Token
	return nil
}

// standard are the legs of the standard ladder, and handover those of the one for a machine that leaves, on so many cores.
func standard(cores int) []api.LegRequest { return legsOf("standard", cores) }
func handover(cores int) []api.LegRequest { return legsOf("handover", cores) }

func legsOf(id string, cores int) []api.LegRequest {
	var out []api.LegRequest
	template := ladder.Delivered()[id]
	for _, s := range template.Steps {
		seconds := s.Seconds
		if s.PerCoreS > 0 {
			seconds = s.PerCoreS * float64(cores)
		}
		out = append(out, leg(string(s.Load), seconds))
	}
	return out
}

// step is one trim of a history: made unless it is stock, fitted, proven, and scored when it held.
type step struct {
	trim         int64
	name, reason string
	settings     trim.Settings
	legs         []api.LegRequest
	scores       bool
	yardsticks   []string // taken beside the throughput
	want         string
	profile      string
	branch       bool    // made from the last trim that held instead of the last one
	surveyMin    float64 // found by a survey of so many minutes instead of made,
	goal         string  // or by a tuning with this goal,
	from         int     // which begins with the trim of this step
}

func leg(load string, seconds float64) api.LegRequest {
	kind := api.LegRequestLoad(load)
	return api.LegRequest{Load: &kind, Seconds: &seconds}
}

// rig is one rig reached through the API.
type rig struct {
	*client
	id    int64
	board *hands

	trialsLeft int    // of its history, to be begun
	numbered   func() // is called when at most the last is left
}

// hands do at a stand-in's board what a person does at a machine.
type hands struct{ address, password string }

// unplug switches the supply off and on again.
func (h *hands) unplug(ctx context.Context) error {
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, h.address+"/redfish/v1/Systems/1/Actions/ComputerSystem.Reset",
		strings.NewReader(`{"ResetType":"FullPowerCycle"}`))
	if err != nil {
		return fmt.Errorf("unplug: %w", err)
	}
	request.SetBasicAuth(boardUser, h.password)
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		return fmt.Errorf("unplug: %w", err)
	}
	_ = response.Body.Close()
	if response.StatusCode >= 300 {
		return fmt.Errorf("unplug: the board answers %s", response.Status)
	}
	return nil
}

func (r *rig) trims(ctx context.Context) ([]api.Trim, error) {
	var list []api.Trim
	err := r.call(ctx, "GET", fmt.Sprintf("/api/rigs/%d/trims", r.id), nil, &list)
	return list, err
}

func (r *rig) create(ctx context.Context, parent int64, s step) (int64, error) {
	var t api.Trim
	err := r.call(ctx, "POST", fmt.Sprintf("/api/rigs/%d/trims", r.id),
		api.CreateTrimRequest{Parent: parent, Name: s.name, Reason: &s.reason, Settings: s.settings}, &t)
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

// survey lets a pilot find a step's trim from its parent on, and returns the trim, which is in force then, and the verdict on it. Where
// it finds none that is the parent.
func (r *rig) survey(ctx context.Context, parent int64, s step) (trim int64, verdict string, err error) {
	var p api.Pilot
	ask := api.StartPilotRequest{Trim: parent, Minutes: s.surveyMin}
	if s.goal != "" {
		ask.Goal = &s.goal
	}
	if err := r.call(ctx, "POST", fmt.Sprintf("/api/rigs/%d/pilots", r.id), ask, &p); err != nil {
		return 0, "", err
	}
	r.begun()
	if err := until(ctx, func() (bool, error) {
		var list []api.Pilot
		err := r.call(ctx, "GET", fmt.Sprintf("/api/rigs/%d/pilots", r.id), nil, &list)
		if err == nil {
			p = list[0]
		}
		return p.State == api.Ended, err
	}); err != nil {
		return 0, "", err
	}
	if p.Problem != "" || p.Found == nil { // which is a story, too: it says why
		return parent, "held", r.fit(ctx, parent)
	}
	return *p.Found, "held", nil
}

// begun counts a trial, or a survey, that has begun.
func (r *rig) begun() {
	if r.trialsLeft--; r.trialsLeft <= 1 && r.numbered != nil {
		r.numbered()
	}
}

// walk fits a step's trim, runs its proof, and takes its scores; it returns the verdict of the proof.
func (r *rig) walk(ctx context.Context, s step) (string, error) {
	if err := r.fit(ctx, s.trim); err != nil {
		return "", err
	}
	if s.want == "held" {
		s.legs = complete(s.legs)
	}
	verdict, err := r.trial(ctx, api.StartTrialRequest{Name: &s.name, Legs: s.legs})
	if err != nil || verdict != "held" || !s.scores {
		return verdict, err
	}
	return r.score(ctx, s)
}

// score takes the scores of a step, whose trim is in force.
func (r *rig) score(ctx context.Context, s step) (string, error) {
	purpose, name := api.StartTrialRequestPurposeScore, "Benchmark"
	var runs []api.LegRequest
	for _, id := range append([]string{yardstick.Burst, "single-core"}, s.yardsticks...) {
		y, _ := yardstick.Of(id)
		for range y.Runs {
			runs = append(runs, api.LegRequest{Yardstick: &y.ID})
		}
	}
	return r.trial(ctx, api.StartTrialRequest{Name: &name, Purpose: &purpose, Legs: runs})
}

// complete adds to a proof what it lacks for every regime to be tried.
func complete(legs []api.LegRequest) []api.LegRequest {
	for _, more := range []api.LegRequest{leg("heavy", 2*minute), leg("light", 3*minute), leg("transition", 2*minute), leg("idle", 2*minute)} {
		tried := func(l api.LegRequest) bool {
			return load.Kind(*l.Load).Regime() == load.Kind(*more.Load).Regime()
		}
		if !slices.ContainsFunc(legs, tried) {
			legs = append(slices.Clone(legs), more)
		}
	}
	return legs
}

func (r *rig) trial(ctx context.Context, in api.StartTrialRequest) (string, error) {
	var t api.Trial
	if err := r.call(ctx, "POST", fmt.Sprintf("/api/rigs/%d/trials", r.id), in, &t); err != nil {
		return "", err
	}
	return r.over(ctx, &t)
}

// over waits until a trial that was started is over, and returns its verdict.
func (r *rig) over(ctx context.Context, t *api.Trial) (string, error) {
	r.begun()
	err := until(ctx, func() (bool, error) {
		err := r.call(ctx, "GET", fmt.Sprintf("/api/trials/%d", t.Id), nil, t)
		return t.Ended, err
	})
	return t.Verdict, err
}
