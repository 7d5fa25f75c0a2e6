package server

import (
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
)

// GetRecords tells how much is recorded.
func (s *Server) GetRecords(c *echo.Context, params api.GetRecordsParams) error {
	return s.records(c, params.KeepMonths)
}

// KeepSamples says for how long samples are kept.
func (s *Server) KeepSamples(c *echo.Context) error {
	in, err := body[api.KeepSamplesRequest](c)
	if err != nil {
		return err
	}
	if err := s.shop.KeepSamples(c.Request().Context(), in.KeepMonths); err != nil {
		return err
	}
	return s.records(c, nil)
}

// KeepTrial keeps the samples of a trial for good, or no longer.
func (s *Server) KeepTrial(c *echo.Context, id int64) error {
	in, err := body[api.KeepTrialRequest](c)
	if err != nil {
		return err
	}
	return gone(c, s.shop.KeepTrial(c.Request().Context(), id, in.Keep))
}

func (s *Server) records(c *echo.Context, months *int) error {
	r, err := s.shop.Records(c.Request().Context(), months)
	if err != nil {
		return err
	}
	out := api.Records{KeepMonths: r.KeepMonths, Bytes: r.Bytes, Months: []api.RecordedMonth{}, PerDay: r.PerDay}
	if r.PerDay != nil {
		year := *r.PerDay * 365
		out.PerYear = &year
	}
	for _, m := range r.Months {
		one := api.RecordedMonth{Bytes: m.Bytes, Share: m.Share, Drops: m.Drops}
		if m.Month > 0 {
			one.Month = fmt.Sprintf("%04d-%02d", m.Month/12, m.Month%12+1)
		}
		out.Months = append(out.Months, one)
	}
	return c.JSON(http.StatusOK, out)
}
