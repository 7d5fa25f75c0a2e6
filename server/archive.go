package server

import (
	"fmt"
	"io"
	"net/http"
	"os"

	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
	"zerokeel/workshop"
)

// ExportArchive answers with all that is kept of rigs.
func (s *Server) ExportArchive(c *echo.Context, params api.ExportArchiveParams) error {
	x, err := s.shop.Archive(c.Request().Context(), deref(params.Rig))
	if err != nil {
		return err
	}
	c.Response().Header().Set("Content-Type", "application/zip")
	attach(c, x.Name)
	c.Response().WriteHeader(http.StatusOK)
	return x.Write(c.Request().Context(), c.Response())
}

// TakeArchive takes in the rigs of an archive. It is kept on disk until it is read: what it holds stands at its end.
func (s *Server) TakeArchive(c *echo.Context, params api.TakeArchiveParams) error {
	file, err := os.CreateTemp("", "zerokeel-archive-*")
	if err != nil {
		return fmt.Errorf("keep an archive: %w", err)
	}
	defer func() {
		_ = file.Close()
		_ = os.Remove(file.Name())
	}()
	size, err := io.Copy(file, c.Request().Body)
	if err != nil {
		return fmt.Errorf("keep an archive: %w", err)
	}
	taken, err := s.shop.TakeArchive(c.Request().Context(), file, size, deref(params.As))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, each(taken, func(t *workshop.Taken) api.TakenRig {
		return api.TakenRig{Rig: t.Rig, Name: t.Name, Token: t.Token}
	}))
}
