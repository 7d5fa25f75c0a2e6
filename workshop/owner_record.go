package workshop

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"zerokeel/core/channel"
	"zerokeel/core/compare"
	"zerokeel/core/load"
	"zerokeel/core/part"
	"zerokeel/core/proof"
	"zerokeel/core/trim"
	"zerokeel/store"
)

// OwnerRecord is what is handed to a machine's owner: what it is, what was changed and why, what that gained, what proves it, and what to
// do when it misbehaves.
type OwnerRecord struct {
	Own      store.Own
	Made     time.Time
	Rig      *store.Rig
	Set      *part.Set
	Trim     *Trim
	Base     *Trim // as delivered
	Words    []compare.Phrase
	Figures  []HandedFigure
	Settings []HandedSetting
	Back     []trim.BackStep
	Profiles []HandedProfile
	Fan      []FanPoint // of the fan curve; none where the board has none
	Tried    *store.Tried
	Stood    *store.Tried // under this trim alone
	Trims    int          // that were tried
	Failed   int          // of these
	Room     [2]float64   // °C, from the coolest to the warmest leg under this trim; NaN where it was not measured
	Code     string       // by which this record is known again
	Course   []CourseLine // of a builder's record
}

// HandedFigure is a figure as delivered and as handed over; NaN where it was not measured.
type HandedFigure struct {
	Label, Unit   string
	Before, After float64
	Half          float64 // of the difference's 95 % interval
	Means         string
}

// HandedSetting is a setting that was changed, as it is entered, and why.
type HandedSetting struct {
	trim.Line
	Why string
}

// HandedProfile is another trim that the machine can be set to, by what differs from the one that is handed over.
type HandedProfile struct {
	For   store.Profile
	Name  string
	Lines []trim.Line
}

// FanPoint is a point of a fan curve.
type FanPoint struct{ C, Duty float64 }

// CourseLine is a trim of the course, or several like ones in a row.
type CourseLine struct {
	Name, Reason, Changes, Outcome string
	Standing                       proof.Standing
}

// OwnerRecord gathers the record of a trim; for a builder with the whole course.
func (w *Workshop) OwnerRecord(ctx context.Context, id int64, whole bool) (*OwnerRecord, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	t, r, set, err := w.trimParts(ctx, id)
	if err != nil {
		return nil, err
	}
	trims, err := w.Trims(ctx, r.ID)
	if err != nil {
		return nil, err
	}
	own, err := w.store.Own(ctx)
	if err != nil {
		return nil, err
	}
	out := &OwnerRecord{Own: *own, Made: time.Now().UTC(), Rig: r, Set: set, Base: &trims[0], Code: codeOf(t),
		Back: trim.WayBack(set, t.Settings.V), Fan: fanCurve(set, t.Settings.V)}
	for i := range trims {
		if trims[i].ID == id {
			out.Trim = &trims[i]
		}
		if trims[i].Standing != proof.Draft && i > 0 {
			out.Trims++
		}
		if trims[i].Standing == proof.Failed {
			out.Failed++
		}
	}
	for _, line := range trim.Card(set, trims[0].Settings.V, t.Settings.V, false) {
		out.Settings = append(out.Settings, HandedSetting{line, why(trims, out.Trim, line.Key)})
	}
	for i := range trims {
		if p := &trims[i]; p.Profile != store.ProfileNone && p.ID != id {
			out.Profiles = append(out.Profiles, HandedProfile{p.Profile, nameOf(&p.Trim), trim.Card(set, t.Settings.V, p.Settings.V, false)})
		}
	}
	if whole {
		out.Course = courseOf(trims)
	}
	return out, w.handedFigures(ctx, out)
}

// handedFigures fills in what was measured: figures against those as delivered, how much was tried, and in which room.
func (w *Workshop) handedFigures(ctx context.Context, out *OwnerRecord) error {
	var err error
	if out.Tried, err = w.store.Tried(ctx, out.Rig.ID, 0); err != nil {
		return err
	}
	if out.Stood, err = w.store.Tried(ctx, out.Rig.ID, out.Trim.ID); err != nil {
		return err
	}
	h, err := w.history(ctx, out.Rig.ID)
	if err != nil {
		return err
	}
	out.Room = [2]float64{math.NaN(), math.NaN()}
	for i := range h.records {
		if l := &h.records[i]; l.TrimID == out.Trim.ID {
			c, _ := l.figure(channel.Ambient)
			out.Room[0], out.Room[1] = lower(out.Room[0], c), -lower(-out.Room[1], -c)
		}
	}
	if out.Trim.ID == out.Base.ID {
		return nil
	}
	c, err := w.Compare(ctx, []int64{out.Base.ID, out.Trim.ID})
	if err != nil {
		return err
	}
	out.Words = c.Words[0]
	for i := range c.Tables {
		if t := &c.Tables[i]; len(t.Rows) > 0 {
			r := &t.Rows[0]
			out.Figures = append(out.Figures, handed(r.Label, r.Unit, r.Sides[0].Mean, r.Sides[1].Mean, &r.Pairs[0], r.Better))
		}
	}
	for i := range c.Settled {
		if r := &c.Settled[i]; slices.Contains(onPaper[r.Load], r.Key) {
			label := r.Label + ", " + map[load.Kind]string{load.Heavy: "full load", load.Idle: "at rest"}[r.Load]
			out.Figures = append(out.Figures, handed(label, r.Unit, r.Sides[0].Value, r.Sides[1].Value, &r.Pairs[0], r.Better))
		}
	}
	return nil
}

// onPaper are the settled figures that a record tells an owner, by load.
var onPaper = map[load.Kind][]string{
	load.Heavy: {channel.AboveAmbient, channel.PackagePower, channel.WallPower, channel.MeanClock, channel.Noise},
	load.Idle:  {channel.WallPower, channel.Noise},
}

func handed(label, unit string, before, after float64, p *compare.Pair, better compare.Better) HandedFigure {
	return HandedFigure{Label: label, Unit: unit, Before: before, After: after, Half: p.Half, Means: p.Means(better)}
}

// lower is the lower of two figures of which either may be missing.
func lower(a, b float64) float64 {
	if math.IsNaN(a) || b < a {
		return b
	}
	return a
}

// why tells for what reason a setting was changed last, on the way from the machine as delivered to a trim.
func why(trims []Trim, t *Trim, key string) string {
	for t != nil {
		if slices.ContainsFunc(t.Changes, func(c trim.Change) bool { return c.Key == key }) {
			return t.Reason
		}
		at := slices.IndexFunc(trims, func(p Trim) bool { return t.ParentID.Valid && p.ID == t.ParentID.Int64 })
		if at < 0 {
			return ""
		}
		t = &trims[at]
	}
	return ""
}

// fanCurve lists the points of a trim's fan curve, by temperature.
func fanCurve(set *part.Set, settings trim.Settings) (out []FanPoint) {
	whole := trim.Stock(set.Processor, set.Board).With(settings)
	for i := 1; ; i++ {
		c, known := whole[trim.At("fan.point.*.temperature", i)].Number()
		duty, told := whole[trim.At("fan.point.*.duty", i)].Number()
		if !known || !told {
			break
		}
		out = append(out, FanPoint{c, duty})
	}
	slices.SortStableFunc(out, func(a, b FanPoint) int { return int(math.Copysign(1, a.C-b.C)) })
	return out
}

// codeOf is a short code of a trim and its settings: whoever has the record in hand finds the trim by it, and sees whether it is still
// what was handed over.
func codeOf(t *store.Trim) string {
	sum := uint32(2166136261) // FNV-1a
	for _, b := range []byte(t.Settings.V.Fingerprint()) {
		sum = (sum ^ uint32(b)) * 16777619
	}
	return fmt.Sprintf("%d-%d-%04X", t.RigID, t.Number, sum>>16^sum&0xffff)
}

// courseOf tells the whole course, trims that a pilot tried on its way in one line for each outcome in a row.
func courseOf(trims []Trim) (out []CourseLine) {
	for i := 0; i < len(trims); i++ {
		t := &trims[i]
		line := CourseLine{Name: nameOf(&t.Trim), Reason: t.Reason, Outcome: t.Summary, Standing: t.Standing,
			Changes: changed(t.Changes, mostInALine)}
		last := i
		for t.Pilot.Valid && last+1 < len(trims) && trims[last+1].Pilot == t.Pilot && trims[last+1].Standing == t.Standing {
			last++
		}
		if n := last - i + 1; n > 1 {
			line = CourseLine{Name: fmt.Sprintf("%s to %s", nameOf(&t.Trim), nameOf(&trims[last].Trim)), Standing: t.Standing,
				Reason: "tried by a pilot on its way", Outcome: fmt.Sprintf("%d that %s", n, failedOrHeld(t.Standing))}
			i = last
		}
		out = append(out, line)
	}
	return out
}

func failedOrHeld(s proof.Standing) string {
	if s == proof.Failed {
		return "failed"
	}
	return "held for as long as they were tried"
}

// mostInALine is how many changes of a trim are told in a line.
const mostInALine = 5

// changed tells changes in the words of the trade, and of more than most of them how many more there are.
func changed(list []trim.Change, most int) string {
	var out []string
	for i, c := range list {
		if def, _, known := trim.Find(c.Key); known {
			if i == most-1 && len(list) > most {
				return strings.Join(out, ", ") + fmt.Sprintf(", and %d more", len(list)-i)
			}
			out = append(out, def.Name+" "+def.Say(c.To))
		}
	}
	return strings.Join(out, ", ")
}

// JoinPhrases makes a sentence of what was shown and what was not.
func JoinPhrases(list []Phrase) string { return compare.Join(list) }
