// Package link is the protocol between a rig and the server: its messages, their checks, and the client that a rig
// runs. The rig dials the server, says who it is, and from then on both talk over one connection in JSON messages.
// Frames, which carry everything that matters, are numbered and kept by the rig until the server acknowledges them,
// so that nothing is lost or counted twice whichever side restarts. docs/link-protocol.md describes it in full.
package link

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"

	"zerokeel/core/channel"
	"zerokeel/core/fan"
	"zerokeel/core/govern"
	"zerokeel/core/invalid"
	"zerokeel/core/load"
	"zerokeel/core/verdict"
)

// Version is the version of the protocol. Path is where the server takes connections.
const (
	Version = 1
	Path    = "/link"
)

// MaxMessage is the largest message in bytes, either way.
const MaxMessage = 1 << 20

// Message is one message: exactly one of its fields is set.
type Message struct {
	Hello   *Hello   `json:"hello,omitempty"`   // rig to server, first of all
	Welcome *Welcome `json:"welcome,omitempty"` // server to rig, in answer
	Frame   *Frame   `json:"frame,omitempty"`   // rig to server
	Ack     *Ack     `json:"ack,omitempty"`     // server to rig
	Order   *Order   `json:"order,omitempty"`   // server to rig
	Beat    *Beat    `json:"beat,omitempty"`    // both ways
	Refusal *Refusal `json:"refusal,omitempty"` // server to rig, before it hangs up
	Ask     *Ask     `json:"ask,omitempty"`     // server to rig
	Answer  *Answer  `json:"answer,omitempty"`  // rig to server
}

// Hello introduces the rig's agent.
type Hello struct {
	Protocol  int               `json:"protocol"`
	Agent     string            `json:"agent"`  // version of the agent
	Stream    string            `json:"stream"` // new at each start of the agent; frames are numbered within it
	BootID    string            `json:"bootId"` // new at each start of the machine
	Now       int64             `json:"now"`    // the rig's clock, ms since 1970 UTC
	ClockRate float64           `json:"clockRate"`
	RestRate  float64           `json:"restRate,omitempty"` // of a stand-in: how fast its clock runs with no order, where nothing fails then
	Simulated bool              `json:"simulated"`
	Facts     Facts             `json:"facts"`
	Channels  []channel.Channel `json:"channels"`
	Running   string            `json:"running,omitempty"` // the order being run
	From      uint64            `json:"from,omitempty"`    // the first frame of the stream that the rig still holds, or makes next
	Crash     *Crash            `json:"crash,omitempty"`   // how the machine's start before this one ended, if not by a shutdown
	Journal   []Unending        `json:"journal,omitempty"` // orders that the journal shows begun but not ended
	Headers   []Header          `json:"headers,omitempty"` // whose duty the rig can set
	Asked     bool              `json:"asked,omitempty"`   // it answers what its running system lets be set
	Powers    bool              `json:"powers,omitempty"`  // it shuts down or restarts its machine when asked to
}

// Header is one that a fan or a pump hangs on, whose duty the rig can set. Key is that of the channel of its duty.
type Header struct {
	Key   string `json:"key"`
	Label string `json:"label"`
}

// Unending is a journal entry without an end.
type Unending struct {
	Order  string `json:"order"`
	BootID string `json:"bootId"`
	At     int64  `json:"at"` // ms since 1970 UTC
}

// Crash tells of a start of the machine that ended without a shutdown, as the rig saw it when it came back.
type Crash struct {
	BootID string `json:"bootId"`
	SeenAt int64  `json:"seenAt"`          // the rig's last sign of life in it, ms since 1970 UTC
	Words  string `json:"words,omitempty"` // what the kernel wrote when it stopped
}

// Welcome answers a hello: the last frame of the stream that the server holds.
type Welcome struct {
	Rig  string `json:"rig"`
	Last uint64 `json:"last"`
}

// Frame is a numbered portion of a rig's report.
type Frame struct {
	Seq      uint64         `json:"seq"` // from 1 in each stream
	Samples  *Samples       `json:"samples,omitempty"`
	Events   []Event        `json:"events,omitempty"`
	Progress []Progress     `json:"progress,omitempty"`
	Started  *Started       `json:"started,omitempty"`
	Finished *Finished      `json:"finished,omitempty"`
	Limiters *LimiterCounts `json:"limiters,omitempty"`
	Leaving  *Leaving       `json:"leaving,omitempty"`
}

// Orders lists the orders that a frame speaks of.
func (f *Frame) Orders() []string {
	var out []string
	add := func(order string) {
		if order != "" {
			out = append(out, order)
		}
	}
	for i := range f.Events {
		add(f.Events[i].Order)
	}
	for i := range f.Progress {
		add(f.Progress[i].Order)
	}
	if f.Samples != nil {
		add(f.Samples.Order)
	}
	if f.Started != nil {
		add(f.Started.Order)
	}
	if f.Finished != nil {
		add(f.Finished.Order)
	}
	if f.Limiters != nil {
		add(f.Limiters.Order)
	}
	return out
}

// Leaving announces that nothing more will be heard, and that this is no fault.
type Leaving struct {
	At  int64 `json:"at"`  // ms since 1970 UTC
	Off bool  `json:"off"` // the machine is being shut down; otherwise its agent alone ends
}

// Samples are values of channels at moments: Values[i][j] belongs to Channels[i] at At[j]; null is a gap.
type Samples struct {
	Order    string       `json:"order,omitempty"` // the order running meanwhile
	At       []int64      `json:"at"`              // ms since 1970 UTC
	Channels []string     `json:"channels"`
	Values   [][]*float64 `json:"values"`
}

// Event is something that happened while an order ran.
type Event struct {
	Order    string            `json:"order"`
	Kind     verdict.EventKind `json:"kind"`
	AtS      float64           `json:"atS"`  // since the order's start
	Core     int               `json:"core"` // -1 for none
	Injected bool              `json:"injected,omitempty"`
	Text     string            `json:"text,omitempty"`
}

// Progress is the work that each core of an order has done.
type Progress struct {
	Order string    `json:"order"`
	AtS   float64   `json:"atS"`
	Count []float64 `json:"count"`
}

// Started says that an order began.
type Started struct {
	Order string `json:"order"`
	At    int64  `json:"at"` // ms since 1970 UTC
}

// Finished says that an order ended.
type Finished struct {
	Order  string   `json:"order"`
	How    How      `json:"how"`
	RanS   float64  `json:"ranS"`
	Score  *float64 `json:"score,omitempty"`  // of a yardstick
	Scored *Scored  `json:"scored,omitempty"` // where its score comes from; nil of agents of earlier versions

	Others   float64  `json:"others,omitempty"`   // share of the machine that other programs used meanwhile
	Coverage *float64 `json:"coverage,omitempty"` // of a memory load: share of its memory that held every pattern
}

// Scored is the part of a run that its score comes from, in seconds since its start, and whose: one core's, or -1 for all that ran.
type Scored struct {
	FromS float64 `json:"fromS"`
	ToS   float64 `json:"toS"`
	Core  int     `json:"core"`
}

// How an order ended, as the rig sees it.
type How string

const (
	Done    How = "done"    // ran its full time or work
	Faulted How = "faulted" // ended at a fault
	Halted  How = "halted"  // ended by an order to stop
	Refused How = "refused" // not run at all; an event says why
	Aborted How = "aborted" // the rig ended it to keep itself safe; an event says why
)

// LimiterCounts are the seconds for which each limiter held during an order so far.
type LimiterCounts struct {
	Order   string                     `json:"order"`
	Seconds map[govern.Limiter]float64 `json:"seconds"`
}

// Order asks the rig to run a leg, or to stop one. An order with an id already known is not run again.
type Order struct {
	ID        string    `json:"id"`
	Do        Do        `json:"do"`
	Load      load.Kind `json:"load,omitempty"`
	Yardstick string    `json:"yardstick,omitempty"` // id of one that rigs take themselves
	Work      float64   `json:"work,omitempty"`      // of a yardstick: the amount to do, after WarmS; Seconds is then the longest time
	WarmS     float64   `json:"warmS,omitempty"`
	WindowS   float64   `json:"windowS,omitempty"` // of a yardstick, instead of Work: what is done in this time after WarmS counts
	Cores     []int     `json:"cores,omitempty"`
	Seconds   float64   `json:"seconds,omitempty"`
	TurnS     float64   `json:"turnS,omitempty"`    // per core, of a one-core load
	Width     string    `json:"width,omitempty"`    // of the vectors: "widest" (also if absent), "portable", "256", "512"
	MemoryMB  int       `json:"memoryMB,omitempty"` // of a memory load, for all cores together; 0 leaves it to the rig
	AbortC    float64   `json:"abortC,omitempty"`   // the rig ends the leg when its processor is hotter; 0 for the rig's own limit
	TargetC   float64   `json:"targetC,omitempty"`  // the load is held back above it; 0 for full load
	Inject    *Inject   `json:"inject,omitempty"`

	Sweep *fan.Sweep `json:"sweep,omitempty"` // of an idle load: of a header's duty meanwhile, after which the board drives it again

	// For whoever stands before the machine: the trim that is tried, and which leg of how many this is.
	Trim string `json:"trim,omitempty"`
	Step int    `json:"step,omitempty"`
	Of   int    `json:"of,omitempty"`
}

// Do is what an order asks for.
type Do string

const (
	Run  Do = "run"
	Stop Do = "stop"
)

// Inject asks for one flipped bit in a worker's data, to show that faults are found. It is marked in the record.
type Inject struct {
	Core   int     `json:"core"`
	AfterS float64 `json:"afterS"`
	Seed   uint64  `json:"seed,omitempty"` // tells which bit
}

// Ack acknowledges every frame up to Seq: the server has stored them for good.
type Ack struct {
	Seq uint64 `json:"seq"`
}

// Beat is a sign of life, with the sender's clock.
type Beat struct {
	Now int64 `json:"now"`
}

// Refusal says why the server hangs up.
type Refusal struct {
	Problem string `json:"problem"`
	Remedy  string `json:"remedy"`
}

func (r *Refusal) Error() string { return r.Problem + "; " + r.Remedy }

// Encode writes a message.
func Encode(m Message) ([]byte, error) {
	text, err := json.Marshal(m)
	if err != nil {
		return nil, fmt.Errorf("write message: %w", err)
	}
	if len(text) > MaxMessage {
		return nil, fmt.Errorf("write message: %d bytes, at most %d are allowed", len(text), MaxMessage)
	}
	return text, nil
}

// Decode reads and checks a message. The error is a invalid.List.
func Decode(text []byte) (Message, error) {
	var m Message
	if faults := invalid.Decode(text, &m); len(faults) > 0 {
		return Message{}, faults
	}
	var f invalid.List
	set := 0
	for _, present := range []bool{m.Hello != nil, m.Welcome != nil, m.Frame != nil, m.Ack != nil, m.Order != nil, m.Beat != nil,
		m.Refusal != nil, m.Ask != nil, m.Answer != nil} {
		if present {
			set++
		}
	}
	if set != 1 {
		f.Add("", "send exactly one of hello, welcome, frame, ack, order, beat, refusal, ask, answer", "the message holds %d parts", set)
	}
	if m.Hello != nil {
		f = append(f, m.Hello.validate().Under("hello")...)
	}
	if m.Frame != nil {
		f = append(f, m.Frame.validate().Under("frame")...)
	}
	if m.Order != nil {
		f = append(f, m.Order.validate().Under("order")...)
	}
	if m.Ask != nil {
		f = append(f, m.Ask.validate().Under("ask")...)
	}
	if m.Answer != nil {
		f = append(f, m.Answer.validate().Under("answer")...)
	}
	if len(f) > 0 {
		return Message{}, f
	}
	if m.Answer != nil {
		m.Answer.tame()
	}
	if m.Hello != nil {
		m.Hello.tame()
	}
	if m.Frame != nil {
		m.Frame.tame()
	}
	return m, nil
}

// Bounds on what one message may carry.
const (
	maxChannels = 2000
	maxCores    = 1024
	maxMoments  = 4096
	maxHeaders  = 64
	maxModules  = 64
)

func (h *Hello) validate() invalid.List {
	var f invalid.List
	if h.Protocol != Version {
		f.Add("protocol", fmt.Sprintf("install an agent that speaks version %d", Version), "version %d is not spoken here", h.Protocol)
	}
	checkID(&f, "stream", h.Stream)
	checkID(&f, "bootId", h.BootID)
	if !(h.ClockRate > 0 && h.ClockRate <= 1e6) {
		f.Add("clockRate", "give 1, or a stand-in's speed", "%g is out of range", h.ClockRate)
	}
	if !(h.RestRate >= 0 && h.RestRate <= h.ClockRate) {
		f.Add("restRate", "give at most the clock's rate, or nothing", "%g is out of range", h.RestRate)
	}
	if len(h.Channels) > maxChannels {
		f.Add("channels", "report fewer channels", "%d channels, at most %d are taken", len(h.Channels), maxChannels)
	}
	seen := map[string]bool{}
	for i, c := range h.Channels {
		if c.Key == "" || len(c.Key) > 100 || seen[c.Key] || c.Key != plain(c.Key, 100) {
			f.Add(fmt.Sprintf("channels[%d].key", i), "give each channel a key of its own of 1 to 100 printable characters", "%.100q", c.Key)
		}
		seen[c.Key] = true
	}
	if len(h.Headers) > maxHeaders {
		f.Add("headers", "report fewer headers", "%d headers, at most %d are taken", len(h.Headers), maxHeaders)
	}
	for i, x := range h.Headers {
		if x.Key == "" || x.Key != plain(x.Key, 100) || slices.ContainsFunc(h.Headers[:i], func(y Header) bool { return y.Key == x.Key }) {
			f.Add(fmt.Sprintf("headers[%d].key", i), "give each header a key of its own of 1 to 100 printable characters", "%.100q", x.Key)
		}
	}
	if n := len(h.Facts.Modules); n > maxModules {
		f.Add("facts.modules", "tell of fewer modules", "%d modules, at most %d are taken", n, maxModules)
	}
	if h.Crash != nil {
		checkID(&f, "crash.bootId", h.Crash.BootID)
		if len(h.Crash.Words) > 1000 {
			f.Add("crash.words", "give the line that says why, at most 1000 bytes", "%d bytes", len(h.Crash.Words))
		}
	}
	if h.Facts.Cores < 1 || h.Facts.Cores > maxCores {
		f.Add("facts.cores", "give the number of cores", "%d cores", h.Facts.Cores)
	}
	if h.Now != moment(h.Now) {
		f.Add("now", "set the rig's clock", "%d ms since 1970 lies beyond the year 9998, or before 1970", h.Now)
	}
	return f
}

func (fr *Frame) validate() invalid.List {
	var f invalid.List
	if fr.Seq == 0 {
		f.Add("seq", "number frames from 1", "0 is no frame number")
	}
	if s := fr.Samples; s != nil {
		if len(s.At) > maxMoments || len(s.Channels) > maxChannels {
			f.Add("samples", "send smaller frames", "%d moments of %d channels", len(s.At), len(s.Channels))
		}
		if len(s.Values) != len(s.Channels) {
			f.Add("samples.values", "give one row per channel", "%d rows for %d channels", len(s.Values), len(s.Channels))
		}
		for i, row := range s.Values {
			if len(row) != len(s.At) {
				f.Add(fmt.Sprintf("samples.values[%d]", i), "give one value, or null, per moment", "%d values for %d moments", len(row), len(s.At))
			}
		}
		for i := 1; i < len(s.At); i++ {
			if s.At[i] < s.At[i-1] {
				f.Add(fmt.Sprintf("samples.at[%d]", i), "order the moments by time", "%d follows %d", s.At[i], s.At[i-1])
			}
		}
	}
	for i, e := range fr.Events {
		at := fmt.Sprintf("events[%d]", i)
		checkID(&f, at+".order", e.Order)
		if !e.Kind.Reported() {
			f.Add(at+".kind", "use a kind from the protocol", "%q is no kind of event", e.Kind)
		}
		checkSpan(&f, at+".atS", e.AtS)
		if e.Core < -1 || e.Core >= maxCores {
			f.Add(at+".core", "give a core, or -1", "%d is no core", e.Core)
		}
	}
	for i, p := range fr.Progress {
		checkID(&f, fmt.Sprintf("progress[%d].order", i), p.Order)
		checkSpan(&f, fmt.Sprintf("progress[%d].atS", i), p.AtS)
		if len(p.Count) > maxCores {
			f.Add(fmt.Sprintf("progress[%d].count", i), "give one count per core", "%d counts", len(p.Count))
		}
	}
	if fr.Started != nil {
		checkID(&f, "started.order", fr.Started.Order)
	}
	if x := fr.Finished; x != nil {
		checkID(&f, "finished.order", x.Order)
		checkSpan(&f, "finished.ranS", x.RanS)
		if !(x.Others >= 0 && x.Others <= 1) {
			f.Add("finished.others", "give a share from 0 to 1", "%g is no share", x.Others)
		}
		if s := x.Scored; s != nil {
			checkSpan(&f, "finished.scored.fromS", s.FromS)
			checkSpan(&f, "finished.scored.toS", s.ToS)
		}
		if x.Coverage != nil && !(*x.Coverage >= 0 && *x.Coverage <= 1) {
			f.Add("finished.coverage", "give a share from 0 to 1", "%g is no share", *x.Coverage)
		}
		switch x.How {
		case Done, Faulted, Halted, Refused, Aborted:
		default:
			f.Add("finished.how", "use done, faulted, halted, refused or aborted", "%q is no way to end", x.How)
		}
	}
	if x := fr.Limiters; x != nil {
		checkID(&f, "limiters.order", x.Order)
		for l, s := range x.Seconds {
			checkSpan(&f, "limiters.seconds."+string(l), s)
		}
	}
	return f
}

func (o *Order) validate() invalid.List {
	var f invalid.List
	checkID(&f, "id", o.ID)
	switch o.Do {
	case Stop:
		return f
	case Run:
	default:
		f.Add("do", "use run or stop", "%q is no order", o.Do)
	}
	if !o.Load.Valid() {
		f.Add("load", fmt.Sprintf("use one of %q", load.Kinds), "%q is no load", o.Load)
	}
	if len(o.Cores) == 0 || len(o.Cores) > maxCores {
		f.Add("cores", "name the cores to load", "%d cores", len(o.Cores))
	}
	named := map[int]bool{}
	for i, core := range o.Cores {
		if core < 0 || core >= maxCores || named[core] {
			f.Add(fmt.Sprintf("cores[%d]", i), "name each core once", "core %d", core)
		}
		named[core] = true
	}
	if x := o.Inject; x != nil {
		checkSpan(&f, "inject.afterS", x.AfterS)
		if len(named) > 0 && !named[x.Core] {
			f.Add("inject.core", "name a core of the order", "core %d", x.Core)
		}
	}
	if !(o.Seconds > 0 && o.Seconds <= 7*86400) {
		f.Add("seconds", "give up to a week", "%g s is out of range", o.Seconds)
	}
	for _, x := range []struct {
		field    string
		is, most float64
	}{{"work", o.Work, mostCount}, {"warmS", o.WarmS, 7 * 86400}, {"windowS", o.WindowS, 7 * 86400}, {"turnS", o.TurnS, 7 * 86400}} {
		if !(x.is >= 0 && x.is <= x.most) {
			f.Add(x.field, fmt.Sprintf("give 0 to %g", x.most), "%g is out of range", x.is)
		}
	}
	if o.Trim != plain(o.Trim, mostLabel) || o.Step < 0 || o.Of < o.Step {
		f.Add("trim", "name it in words, and count its legs from 1", "%.40q, leg %d of %d", o.Trim, o.Step, o.Of)
	}
	switch o.Width {
	case "", "widest", "portable", "256", "512":
	default:
		f.Add("width", "use widest, portable, 256 or 512", "%.20q is no width", o.Width)
	}
	if o.MemoryMB < 0 || o.MemoryMB > 1<<24 {
		f.Add("memoryMB", "give MB of memory, or 0", "%d MB is out of range", o.MemoryMB)
	}
	if !(o.AbortC == 0 || o.AbortC >= 40 && o.AbortC <= 150) {
		f.Add("abortC", "give 40 to 150 °C, or 0", "%g °C is out of range", o.AbortC)
	}
	if !(o.TargetC == 0 || o.TargetC >= 30 && o.TargetC <= 150) {
		f.Add("targetC", "give 30 to 150 °C, or 0", "%g °C is out of range", o.TargetC)
	}
	if o.Sweep != nil {
		f = append(f, o.Sweep.Validate().Under("sweep")...)
		if o.Load != load.Idle || o.Yardstick != "" {
			f.Add("sweep", "sweep a header while the machine rests", "the load is %q", o.Load)
		}
	}
	return f
}

func checkID(f *invalid.List, field, id string) {
	if id == "" || len(id) > 64 {
		f.Add(field, "give 1 to 64 characters", "%.64q is no id", id)
	}
}

func checkSpan(f *invalid.List, field string, s float64) {
	if !(s >= 0 && s <= 366*86400) || math.IsInf(s, 0) {
		f.Add(field, "give seconds since the start", "%g s is out of range", s)
	}
}
