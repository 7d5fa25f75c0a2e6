package server

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"

	"github.com/labstack/echo/v5"

	"zerokeel/core/channel"
	"zerokeel/live"
	"zerokeel/server/api"
	"zerokeel/store"
)

// ListWatches answers with a rig's watches.
func (s *Server) ListWatches(c *echo.Context, id int64) error {
	list, err := s.store.Watches(c.Request().Context(), id)
	if err != nil {
		return err
	}
	out := []api.Watch{}
	for i := range list {
		out = append(out, apiWatch(&list[i]))
	}
	return c.JSON(http.StatusOK, out)
}

// AddWatch begins to watch a channel.
func (s *Server) AddWatch(c *echo.Context, id int64) error {
	in, err := body[api.WatchRequest](c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	r, err := s.store.Rig(ctx, id)
	if err != nil {
		return err
	}
	w := &store.Watch{RigID: id, Rule: store.AsJSON(in.Rule)}
	faults := in.Rule.Validate().Under("rule")
	if !slices.ContainsFunc(r.Channels.V, func(ch channel.Channel) bool { return ch.Key == in.Rule.Channel }) {
		faults.Add("rule.channel", fmt.Sprintf("name one of the %d channels of %s", len(r.Channels.V), r.Name), "%.40q is none of them", in.Rule.Channel)
	}
	if in.Send != nil && *in.Send != "" {
		w.Send = *in.Send
		if u, err := url.Parse(w.Send); err != nil || (u.Scheme != "http" && u.Scheme != "https") || u.Host == "" {
			faults.Add("send", "give an address such as http://host/path", "%.60q is no address", w.Send)
		}
	}
	if len(faults) > 0 {
		return faults
	}
	if err := s.store.AddWatch(ctx, w); err != nil {
		return err
	}
	s.bus.Publish(live.Message{Topic: "watch", Rig: id, ID: w.ID})
	return c.JSON(http.StatusCreated, apiWatch(w))
}

// DeleteWatch ends a watch.
func (s *Server) DeleteWatch(c *echo.Context, id int64) error {
	rig, err := s.store.DropWatch(c.Request().Context(), id)
	if err != nil {
		return err
	}
	s.bus.Publish(live.Message{Topic: "watch", Rig: rig, ID: id})
	return c.NoContent(http.StatusNoContent)
}

func apiWatch(w *store.Watch) api.Watch {
	out := api.Watch{Id: w.ID, Rig: w.RigID, Rule: w.Rule.V, Send: w.Send, Raised: w.State.V.Raised}
	if w.State.V.Since > 0 {
		at := store.FromMS(w.State.V.Since)
		out.Since = &at
	}
	if w.Value.Valid {
		out.Value = &w.Value.Float64
	}
	return out
}
