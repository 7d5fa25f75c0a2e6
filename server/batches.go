package server

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
	"zerokeel/workshop"
)

// ListBatches answers with the newest batches.
func (s *Server) ListBatches(c *echo.Context) error {
	list, err := s.shop.Batches(c.Request().Context())
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, each(list, apiBatch))
}

// StartBatch begins a ladder on several rigs.
func (s *Server) StartBatch(c *echo.Context) error {
	in, err := body[api.StartBatchRequest](c)
	if err != nil {
		return err
	}
	b, err := s.shop.StartBatch(c.Request().Context(), workshop.BatchPlan{Name: deref(in.Name), Rigs: in.Rigs, Ladder: in.Ladder,
		Trim: deref(in.Trim), MostW: deref(in.MostW)})
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, apiBatch(b))
}

// StopBatch ends a batch.
func (s *Server) StopBatch(c *echo.Context, batch int64) error {
	b, err := s.shop.StopBatch(c.Request().Context(), batch)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, apiBatch(b))
}

func apiBatch(b *workshop.Batch) api.Batch {
	out := api.Batch{Id: b.ID, Name: b.Name, Ladder: b.Ladder, MostW: b.MostW, DrawW: b.DrawW(), StopAsked: b.StopAsked,
		CreatedAt: b.CreatedAt, Ended: b.EndedAt.Valid, Members: []api.BatchMember{}}
	for _, m := range b.Members {
		one := api.BatchMember{Rig: m.RigID, State: string(m.State), ExpectW: m.ExpectW, IdleW: m.IdleW, Words: m.Words}
		if t := b.Trials[m.RigID]; t != nil {
			one.Trial, one.RemainingS = t.ID, t.RemainingS()
			if t.Over() {
				one.Verdict = string(t.Result.V.Verdict)
			}
			if length := t.LengthS(); length > 0 {
				one.Share = min(1, t.DoneS()/length)
			}
		}
		out.Members = append(out.Members, one)
	}
	return out
}
