package workshop

import (
	"context"
	"fmt"
	"slices"

	"zerokeel/core/channel"
	"zerokeel/core/watch"
	"zerokeel/outbound"
	"zerokeel/store"
)

// Watches lists the watches of a rig. Of an address that gets notices only the host is told.
func (w *Workshop) Watches(ctx context.Context, rig int64) ([]store.Watch, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	list, err := w.store.Watches(ctx, rig)
	for i := range list {
		list[i].Send = w.shownAddress(list[i].Send)
	}
	return list, err
}

// AddWatch begins to watch a channel of a rig; send is the address that gets each change, empty for none.
func (w *Workshop) AddWatch(ctx context.Context, rig int64, rule watch.Rule, send string) (*store.Watch, error) {
	if err := may(ctx, change, rig); err != nil {
		return nil, err
	}
	r, err := w.store.Rig(ctx, rig)
	if err != nil {
		return nil, err
	}
	faults := rule.Validate().Under("rule")
	if !slices.ContainsFunc(r.Channels.V, func(c channel.Channel) bool { return c.Key == rule.Channel }) {
		faults.Add("rule.channel", fmt.Sprintf("name one of the %d channels of %s", len(r.Channels.V), r.Name), "%.40q is none of them",
			rule.Channel)
	}
	if _, err := outbound.Parse(send); send != "" && err != nil {
		faults.Add("send", "give an address such as http://host/path", "%s", err)
	}
	if len(faults) > 0 {
		return nil, faults
	}
	out := &store.Watch{RigID: rig, Rule: store.AsJSON(rule), Send: w.seal.Close(forNotices, send)}
	err = w.store.AddWatch(ctx, out)
	out.Send = w.shownAddress(out.Send)
	return out, err
}

// DropWatch ends a watch; what it told stays in the journal.
func (w *Workshop) DropWatch(ctx context.Context, id int64) error {
	if err := may(ctx, change, 0); err != nil {
		return err
	}
	_, err := w.store.DropWatch(ctx, id)
	return err
}
