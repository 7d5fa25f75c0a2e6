package standin

import (
	"context"
	"fmt"
	"log/slog"
	"maps"
	"math"
	"math/rand/v2"
	"sync"
	"time"

	"zerokeel/core/channel"
	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/link"
	"zerokeel/standin/stability"
)

// phase is what the machine is doing.
type phase string

const (
	off     phase = "off"
	posting phase = "posting" // firmware's self-test
	booting phase = "booting" // operating system
	running phase = "running"
	frozen  phase = "frozen"
	dead    phase = "dead" // does not come up until the settings are cleared
)

// How long a start takes, in simulated seconds.
const (
	postS = 9.0
	bootS = 7.0
)

// Time steps in simulated seconds: under load the governor must be followed closely, at idle nothing changes fast.
const (
	stepS     = 0.01
	idleStepS = 0.05
	faultS    = 0.1
	sampleS   = 1.0
)

// Options say how a stand-in is run.
type Options struct {
	Speed    float64     // simulated seconds per second, at least 1
	Rest     float64     // the same while the machine is up and no leg runs; 0 is like Speed, less also keeps faults out of that time
	StateDir string      // where it keeps what survives a restart of the process; empty keeps nothing
	Server   link.Server // that the agent dials; none without an address
	User     string      // of the Redfish service; empty accepts anyone
	Password string
	Log      *slog.Logger
	Ordered  func(link.Order) // is told of each order as it comes in; may be nil
}

// Rig is a stand-in.
type Rig struct {
	cfg    *Config
	opt    Options
	hidden hidden
	noise  *rand.Rand

	mu       sync.Mutex
	state    state // what survives
	sessions sessions
	machine  *machine.Machine
	phase    phase
	phaseEnd float64 // in simulated seconds since the epoch of state.Clock
	wheels   []wheel
	agent    *agent
	last     *agent // of the start before
	start    func(*agent)
}

// NewRig prepares a stand-in and switches it on.
func NewRig(cfg *Config, opt Options) (*Rig, error) {
	if !(opt.Speed >= 1 && opt.Speed <= 5000) {
		return nil, fmt.Errorf("speed %g is out of range; give 1 to 5000", opt.Speed)
	}
	if opt.Rest == 0 {
		opt.Rest = opt.Speed
	}
	if !(opt.Rest >= 1 && opt.Rest <= opt.Speed) {
		return nil, fmt.Errorf("speed %g between legs is out of range; give 1 to the speed, %g", opt.Rest, opt.Speed)
	}
	if opt.Log == nil {
		opt.Log = slog.New(slog.DiscardHandler)
	}
	r := &Rig{cfg: cfg, opt: opt, noise: rand.New(rand.NewPCG(cfg.Seed, 2)), phase: off, start: func(a *agent) { close(a.gone) }}
	r.hidden, r.wheels = cfg.chip(), newWheels(cfg)
	r.sessions = newSessions(opt.User, opt.Password)
	if err := r.load(); err != nil {
		return nil, err
	}
	model, err := r.model()
	if err != nil {
		return nil, err
	}
	r.machine = machine.New(model, r.ambient())
	r.powerOn()
	return r, nil
}

// Run simulates until the context ends.
func (r *Rig) Run(ctx context.Context) error {
	var agents sync.WaitGroup
	defer agents.Wait()
	r.mu.Lock()
	r.start = func(a *agent) {
		if r.opt.Server.Address == "" {
			close(a.gone)
			return
		}
		before := a.before
		a.before = nil
		agents.Go(func() {
			defer close(a.gone)
			if before != nil {
				<-before.gone // what it sent before the machine went down arrives first
			}
			if err := a.client.Run(a.live); err != nil {
				r.opt.Log.Error("the virtual agent gives up", "rig", r.cfg.Name, "error", err)
			}
		})
	}
	r.mu.Unlock()
	tick := time.NewTicker(5 * time.Millisecond)
	defer tick.Stop()
	last := time.Now()
	for {
		select {
		case <-ctx.Done():
			r.mu.Lock()
			gone := r.takeLeave()
			err := r.save()
			r.mu.Unlock()
			<-gone
			return err
		case now := <-tick.C:
			// After a pause of the process simulated time does not jump.
			elapsed := math.Min(now.Sub(last).Seconds(), 0.1)
			last = now
			r.mu.Lock()
			for left := elapsed; left > 0; {
				speed := r.speed()
				left -= r.step() / speed
			}
			r.flush()
			r.mu.Unlock()
		}
	}
}

// speed is how many seconds are simulated in one now.
func (r *Rig) speed() float64 {
	if r.phase == running && r.agent.leg == nil {
		return r.opt.Rest
	}
	return r.opt.Speed
}

// restIsFree reports whether nothing fails between legs: that time is no part of what the machine is made to go through.
func (r *Rig) restIsFree() bool { return r.opt.Rest < r.opt.Speed }

// Advance simulates the given number of seconds.
func (r *Rig) Advance(seconds float64) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for end := r.state.Clock + seconds; r.state.Clock < end; {
		r.step()
	}
	r.flush()
}

// step simulates one time step and returns its seconds.
func (r *Rig) step() float64 {
	dt := idleStepS
	if r.phase == running && r.agent.leg != nil && r.agent.leg.order.Load != load.Idle {
		dt = stepS
	}
	r.state.Clock += dt
	r.state.Ran += dt
	r.machine.SetAmbient(r.ambient())
	if r.phase != off {
		r.machine.Step(dt)
		r.spin(dt)
	}
	switch r.phase {
	case posting:
		if r.state.Clock >= r.phaseEnd {
			r.selfTest()
		}
	case booting:
		if r.state.Clock >= r.phaseEnd {
			r.systemUp()
		}
	case running:
		r.agent.advance(dt)
	}
	return dt
}

// flush sends what the agent has gathered.
func (r *Rig) flush() {
	if r.phase == running {
		r.agent.flush()
	}
}

// ambient follows the day: coolest at four in the morning, warmest in the afternoon.
func (r *Rig) ambient() float64 {
	const day = 86400
	return r.cfg.AmbientC + r.cfg.SwingC*math.Sin(2*math.Pi*(r.state.Clock/day-10.0/24))
}

// model returns the machine that the settings in force make.
func (r *Rig) model() (*machine.Model, error) {
	set := r.cfg.made()
	tuning, err := machine.Tune(set, r.settings())
	if err != nil {
		return nil, fmt.Errorf("stand-in %s: %w", r.cfg.Name, err)
	}
	return machine.NewAdjustedModel(set, tuning, r.hidden.Chip, r.cfg.adjust())
}

// settings returns the settings in force, from the board's attributes.
func (r *Rig) settings() trim.Settings {
	board := r.cfg.Parts.Board
	s := trim.Settings{}
	for _, key := range trim.Keys(r.cfg.Parts.Processor, board) {
		if v, err := trim.FromAttributes(board, key, r.state.Attributes); err == nil {
			s[key] = v
		}
	}
	return s
}

// defaults returns every attribute as delivered.
func defaults(set *part.Set) map[string]any {
	out := map[string]any{}
	for key, v := range trim.Stock(set.Processor, set.Board) {
		if attributes, err := trim.ToAttributes(set.Board, key, v); err == nil {
			maps.Copy(out, attributes)
		}
	}
	return out
}

// powerOn starts the machine: pending settings come into force, and the self-test begins.
func (r *Rig) powerOn() {
	r.powerOff()
	for name, value := range r.state.Pending {
		r.state.Attributes[name] = value
	}
	r.state.Pending = map[string]any{}
	r.round()
	r.state.Boots++
	model, err := r.model()
	if err != nil {
		// Attributes are checked when they are staged, so this is a defect of the stand-in itself.
		r.opt.Log.Error("the settings make no machine", "rig", r.cfg.Name, "error", err)
		r.phase = dead
		return
	}
	r.machine.Retune(model)
	r.phase, r.phaseEnd = posting, r.state.Clock+postS
	r.keep()
}

// round does to the settings in force what the board's firmware does on its own: some take any step and round it.
func (r *Rig) round() {
	for name, e := range r.registryEntries() {
		x, ok := r.state.Attributes[name].(int)
		if by := e.entry.Round * e.scale; ok && by > 0 && !e.stands(x) {
			r.state.Attributes[name] = int(math.Round(math.Round(float64(x)/by) * by))
		}
	}
}

// loseSupply switches the supply off: the board forgets what it keeps only as long as it has power.
func (r *Rig) loseSupply() {
	for name, e := range r.registryEntries() {
		if e.entry.Lost {
			r.state.Attributes[name] = e.defaultValue()
		}
	}
}

// powerOff stops the machine at once.
// shutDown ends this start of the machine as its owner does: the agent takes leave.
func (r *Rig) shutDown() {
	if r.agent != nil {
		r.agent.client.Send(link.Frame{Leaving: &link.Leaving{At: r.nowMS(), Off: true}})
	}
	r.powerOff()
}

// takeLeave ends the machine with its process, as its owner shuts it down. The channel is closed once that was told, or could not be.
func (r *Rig) takeLeave() <-chan struct{} {
	gone := make(chan struct{})
	if r.agent == nil {
		close(gone)
		return gone
	}
	if r.phase == running {
		r.agent.client.Send(link.Frame{Leaving: &link.Leaving{At: r.nowMS(), Off: true}})
	}
	end := sync.OnceFunc(func() {
		r.agent.end()
		close(gone)
	})
	r.agent.client.Leave(end, lastWords)
	return gone
}

func (r *Rig) powerOff() {
	if r.agent != nil {
		r.agent.client.Leave(r.agent.end, lastWords)
		r.last, r.agent = r.agent, nil
	}
	r.machine.SetLoad("idle", nil, 0)
	for i := range r.wheels {
		r.hold(channel.At(channel.FanDuty, r.wheels[i].number), nil)
	}
	r.phase = off
}

// lastWords is how long, in real time, what a machine sent before it went down may take to arrive.
const lastWords = 500 * time.Millisecond

// selfTest ends the firmware's part of the start: a core that falls short at the base clock keeps the machine from
// coming up, and so does memory far beyond what it stands.
func (r *Rig) selfTest() {
	draw := rand.New(rand.NewPCG(r.cfg.Seed, startDraws+uint64(r.state.Boots)))
	p := r.cfg.Parts.Processor
	margin := min(r.hidden.uncore.Margin(r.beside(nil)), r.cfg.memoryMargin(&r.machine.Tuning().Memory)+stability.TrainV)
	for core := range r.hidden.cores {
		own := &r.hidden.cores[core]
		asked := r.machine.AskedV(core, p.BaseMHz, startC)
		margin = math.Min(margin, own.Margin(load.Light, load.RegimeLight, r.machine.FusedV(core, p.BaseMHz), asked, startC,
			r.abovePivot(p.BaseMHz)))
	}
	if stability.NoPost(margin, draw) {
		r.phase = dead
		return
	}
	r.phase, r.phaseEnd = booting, r.state.Clock+bootS
}

// abovePivot returns how many GHz a clock lies above where a core's floor and fused curve are as far apart as its reserve says.
func (r *Rig) abovePivot(mhz float64) float64 {
	const share = 0.9
	return (mhz - share*r.cfg.Parts.Processor.HighestMHz()) / 1000
}

// beside tells how ring, fabric and memory controller run in a state. A ring on the cores' rail gets what that delivers, and sleeps with
// them: it needs nothing where the state is nil.
func (r *Rig) beside(s *machine.State) stability.Ran {
	p, tuning := r.cfg.Parts.Processor, r.machine.Tuning()
	far := 1.0 // V, beyond any need
	ran := stability.Ran{RingV: far, FabricV: far, ControllerV: far}
	if p.Ring != nil && s != nil {
		v := s.RingV
		if p.Rails != part.RailsCluster {
			v = s.DeliveredV
		}
		ran.RingV = v - p.Ring.V - p.Ring.VPerGHz*(s.RingMHz-p.Ring.MHz)/1000
	}
	if u := &p.Uncore; u.SoCV > 0 {
		ran.FabricV, ran.ControllerV = (tuning.Rest.SoC-1)*u.SoCV, (tuning.Rest.Controller-1)*u.SoCV
		if most := math.Max(u.FabricMHz, u.FabricMax); most > 0 {
			ran.FabricShare = math.Max(0, tuning.Rest.FabricMHz/most-1)
		}
		ran.ControllerShare = math.Max(0, tuning.Rest.MemoryMTs/r.cfg.Parts.Memory.RatedMTs-1)
	}
	return ran
}

// startC is the temperature of a core during the self-test.
const startC = 45.0

// systemUp starts the agent, as the operating system does at its start.
func (r *Rig) systemUp() {
	r.phase = running
	r.agent = newAgent(r)
	r.start(r.agent)
}

// freeze stops everything but the board's own controller.
func (r *Rig) freeze() {
	r.crashed()
	r.agent.client.Mute()
	r.machine.SetLoad("idle", nil, 0)
	r.phase = frozen
}

// Fault makes a machine that runs stand still, or restart by itself, whatever its chip would do: for those who test that it is
// noticed. It reports whether the machine ran.
func (r *Rig) Fault(restarts bool) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.fault(restarts)
}

// FaultAtWork is Fault for a machine that runs a leg, and does nothing to any other.
func (r *Rig) FaultAtWork(restarts bool) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.agent != nil && r.agent.leg != nil && r.fault(restarts)
}

func (r *Rig) fault(restarts bool) bool {
	switch {
	case r.phase != running || r.agent == nil:
		return false
	case restarts:
		r.crashed()
		r.powerOn()
	default:
		r.freeze()
	}
	return true
}

// crashed notes that this start of the machine ends by a fault, for the next one to tell.
func (r *Rig) crashed() { r.state.Crash = &link.Crash{BootID: r.bootID(), SeenAt: r.nowMS()} }

// Where the numbers of a rig's generators begin: that of each leg, and that of each start, by their own count. So the same
// history repeats the same faults however the process was scheduled, and whatever happened between its legs.
const (
	legDraws   = 1000
	startDraws = 1_000_000
)

// legRandom returns the generator of the next leg.
func (r *Rig) legRandom() *rand.Rand {
	r.state.Draws++
	return rand.New(rand.NewPCG(r.cfg.Seed, legDraws+r.state.Draws))
}

func (r *Rig) bootID() string { return fmt.Sprintf("%s-boot-%d", r.cfg.Name, r.state.Boots) }

// nowMS is the machine's own clock.
func (r *Rig) nowMS() int64 { return int64(r.state.Clock * 1000) }

func (r *Rig) facts() link.Facts {
	p, tuning := r.cfg.Parts.Processor, r.machine.Tuning()
	cores, threads := 0, 0
	for c, on := range tuning.On {
		if on {
			cores++
			threads++
			if tuning.SMT && p.ClusterThreads(p.ClusterOf(c)) > 1 {
				threads++
			}
		}
	}
	return link.Facts{Host: r.cfg.Name, System: "simulated", Kernel: "none", Processor: p.Name.String(),
		Cores: cores, Threads: threads, MemoryMB: r.cfg.Parts.Memory.CapacityG * 1024}
}
