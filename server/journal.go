package server

import (
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
	"zerokeel/workshop"
)

// endOfTime lies after everything that happens.
var endOfTime = time.Date(9000, 1, 1, 0, 0, 0, 0, time.UTC)

// ReadLog answers with what happened on a rig, newest first, a page of it.
func (s *Server) ReadLog(c *echo.Context, id int64, params api.ReadLogParams) error {
	before := endOfTime
	if params.Before != nil {
		before = *params.Before
	}
	list, err := s.shop.Journal(c.Request().Context(), id, before, texts(deref(params.Kinds)))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, each(list, apiEntry))
}

func apiEntry(e *workshop.JournalEntry) api.LogEntry {
	return api.LogEntry{At: e.At, Kind: api.LogEntryKind(e.Kind), Trim: id(e.Trim), Trial: id(e.Trial), Title: e.Title, Text: e.Text,
		Bad: e.Bad}
}
