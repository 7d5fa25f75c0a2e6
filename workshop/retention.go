package workshop

import (
	"context"
	"errors"
	"fmt"
	"time"

	"zerokeel/core/invalid"
	"zerokeel/core/series"
	"zerokeel/store"
)

// mostMonths is the longest time for which samples may be kept that is not for good.
const mostMonths = 240

// paceFrom is from how many days of records on their growth is told.
const paceFrom = 7.0

// Records tells how much is recorded.
type Records struct {
	KeepMonths int   // for which samples are kept; 0 for good
	Bytes      int64 // of the whole database
	Months     []RecordedMonth
	PerDay     *float64 // bytes of samples that a day brought on average; nil before there are enough days
}

// RecordedMonth is how much the samples of a month take.
type RecordedMonth struct {
	store.StoredMonth
	Share float64 // of all samples
	Drops bool    // they are dropped for their age
}

// Records tells how much is recorded, and what is dropped where samples are kept for so many months; nil for as many as is said by
// now.
func (w *Workshop) Records(ctx context.Context, months *int) (*Records, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	if months != nil {
		if f := checkMonths(*months); len(f) > 0 {
			return nil, f
		}
	}
	out := &Records{}
	var err error
	if out.KeepMonths, err = w.store.KeepMonths(ctx); err != nil {
		return nil, err
	}
	if months == nil {
		months = &out.KeepMonths
	}
	if out.Bytes, err = w.store.Bytes(ctx); err != nil {
		return nil, err
	}
	list, err := w.store.StoredMonths(ctx)
	if err != nil {
		return nil, err
	}
	now, bytes := time.Now().UTC(), int64(0)
	for _, m := range list {
		bytes += m.Bytes
		if m.Rows > 0 {
			out.Months = append(out.Months, RecordedMonth{StoredMonth: m, Drops: m.Month > 0 && m.Month < dropsBefore(now, *months)})
		}
	}
	for i := range out.Months {
		out.Months[i].Share = float64(out.Months[i].Bytes) / float64(max(bytes, 1))
	}
	first, err := w.store.Begun(ctx)
	if err != nil {
		return nil, err
	}
	if days := now.Sub(first).Hours() / 24; !first.IsZero() && days >= paceFrom {
		pace := float64(bytes) / days
		out.PerDay = &pace
	}
	return out, nil
}

// dropsBefore is the month before which samples are dropped that are kept for so many whole months; 0 for none.
func dropsBefore(now time.Time, months int) int {
	if months == 0 {
		return 0
	}
	return store.MonthOf(now) - months
}

func checkMonths(months int) (f invalid.List) {
	if months < 0 || months > mostMonths {
		f.Add("keepMonths", fmt.Sprintf("give 1 to %d months, or 0 to keep all", mostMonths), "%d months", months)
	}
	return f
}

// KeepSamples says for how many months samples are kept, 0 for good, and drops those that are older.
func (w *Workshop) KeepSamples(ctx context.Context, months int) error {
	if err := may(ctx, manage, 0); err != nil {
		return err
	}
	if f := checkMonths(months); len(f) > 0 {
		return f
	}
	if err := w.store.SetKeepMonths(ctx, months); err != nil {
		return err
	}
	return w.dropSamples(ctx)
}

// dropSamples drops the samples that are older than they are kept.
func (w *Workshop) dropSamples(ctx context.Context) error {
	months, err := w.store.KeepMonths(ctx)
	if err != nil || months == 0 {
		return err
	}
	gone, err := w.store.DropSamples(ctx, dropsBefore(time.Now(), months))
	if len(gone) > 0 {
		w.log.Info("old samples were dropped", "months", len(gone))
	}
	return err
}

// KeepTrial keeps the samples of a trial for good, or no longer.
func (w *Workshop) KeepTrial(ctx context.Context, id int64, keep bool) error {
	if err := may(ctx, change, 0); err != nil {
		return err
	}
	t, err := w.store.Trial(ctx, id)
	if err != nil {
		return err
	}
	err = w.store.KeepTrial(ctx, id, keep, store.MonthOf(time.Now()))
	switch {
	case errors.Is(err, store.ErrMoved):
		return conflict("trial %d has not ended; keep its samples once it has", t.Number)
	case errors.Is(err, store.ErrNotFound):
		return dropped(t)
	}
	return err
}

// dropped is the conflict with samples that are no more.
func dropped(t *store.Trial) error {
	return conflict("the samples of trial %d were dropped for their age on %s; what they were summed up to, every %d s, is on its sheet",
		t.Number, t.DroppedAt.Time.Format("2 January 2006"), series.LevelMS/1000)
}
