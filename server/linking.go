package server

import (
	"crypto/sha256"
	"encoding/hex"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"sync"
	"time"

	"github.com/labstack/echo/v5"

	"zerokeel/link"
	"zerokeel/server/api"
	"zerokeel/workshop"
)

// linkWithin is how long a machine that asks to be linked is let wait for an answer before it asks again.
const linkWithin = 15 * time.Second

// GetLinking answers with how far the first link of a rig's machine has come.
func (s *Server) GetLinking(c *echo.Context, rig api.RigID) error {
	l, err := s.shop.Linking(c.Request().Context(), rig)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, apiLinking(l, ""))
}

// MakeLinkCode answers with a code by which a machine links itself to a rig.
func (s *Server) MakeLinkCode(c *echo.Context, rig api.RigID) error {
	in, err := body[api.LinkCodeRequest](c)
	if err != nil {
		return err
	}
	code, l, err := s.shop.MakeLinkCode(c.Request().Context(), rig, link.Server{Address: in.Address, Fingerprint: s.fingerprint})
	if err != nil {
		return err
	}
	out := apiLinking(l, code)
	if sum, err := programSum(); err == nil {
		out.ProgramSum = &sum
	}
	return c.JSON(http.StatusCreated, out)
}

// SketchByHand makes the sheets of a rig by the trade names of its settings.
func (s *Server) SketchByHand(c *echo.Context, rig api.RigID) error {
	in, err := body[api.HandSketch](c)
	if err != nil {
		return err
	}
	ask := workshop.HandSketch{Board: in.Board, Style: workshop.Style(in.Style), Cores: deref(in.Cores), Threads: deref(in.Threads),
		EfficiencyCores: deref(in.EfficiencyCores)}
	ask.Told.Count, ask.Told.Delivered, ask.Told.FanPoints = deref(in.Levels), deref(in.Delivered), deref(in.FanPoints)
	r, err := s.shop.SketchByHand(c.Request().Context(), rig, ask)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, apiRig(r))
}

// programPath is where a machine gets this program: static, it runs as an agent wherever the server would.
const programPath = "/zerokeel"

// program answers with this program. Anybody may have it; that it is the right one, its sum on the rig's page tells.
func (s *Server) program(c *echo.Context) error {
	path, err := os.Executable()
	if err != nil {
		return err
	}
	c.Response().Header().Set("Content-Type", "application/octet-stream")
	http.ServeFile(c.Response(), c.Request(), path)
	return nil
}

// programSum is the SHA-256 of this program.
var programSum = sync.OnceValues(func() (string, error) {
	path, err := os.Executable()
	if err != nil {
		return "", err
	}
	f, err := os.Open(path)
	if err != nil {
		return "", err
	}
	defer func() { _ = f.Close() }()
	sum := sha256.New()
	if _, err := io.Copy(sum, f); err != nil {
		return "", err
	}
	return hex.EncodeToString(sum.Sum(nil)), nil
})

// PowerRig shuts a machine down, or starts it anew.
func (s *Server) PowerRig(c *echo.Context, rig api.RigID) error {
	in, err := body[api.PowerRequest](c)
	if err != nil {
		return err
	}
	if err := s.shop.Power(c.Request().Context(), rig, link.Power(in.How)); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// MakeStick answers with the image of a bench stick.
func (s *Server) MakeStick(c *echo.Context) error {
	in, err := body[api.StickRequest](c)
	if err != nil {
		return err
	}
	dir, err := os.MkdirTemp("", "zerokeel-stick-")
	if err != nil {
		return err
	}
	defer func() { _ = os.RemoveAll(dir) }()
	out := filepath.Join(dir, "zerokeel-stick.img")
	if err := s.shop.Stick(c.Request().Context(), deref(in.Code), out); err != nil {
		return err
	}
	c.Response().Header().Set("Content-Type", "application/octet-stream")
	attach(c, filepath.Base(out))
	http.ServeFile(c.Response(), c.Request(), out)
	return nil
}

// TakeIn lets a machine in.
func (s *Server) TakeIn(c *echo.Context, rig api.RigID) error {
	l, err := s.shop.TakeIn(c.Request().Context(), rig)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, apiLinking(l, ""))
}

// AskToLink answers a machine that nobody knows yet.
func (s *Server) AskToLink(c *echo.Context) error {
	in, err := body[api.LinkAsk](c)
	if err != nil {
		return err
	}
	rig, token, err := s.shop.AskToLink(c.Request().Context(), workshop.LinkAsk{Secret: in.Secret, Ticket: in.Ticket, Facts: in.Facts},
		linkWithin)
	if err != nil {
		return err
	}
	out := api.LinkAnswer{Rig: rig}
	if token != "" {
		out.Token = &token
		if s.fingerprint != "" {
			out.Fingerprint = &s.fingerprint
		}
	}
	return c.JSON(http.StatusOK, out)
}

func apiLinking(l *workshop.Linking, code string) api.Linking {
	if l == nil {
		return api.Linking{}
	}
	out := api.Linking{Good: true, ExpiresAt: &l.ExpiresAt, Waits: l.Waits, TakenIn: l.TakenIn}
	if code != "" {
		out.Code = &code
	}
	return out
}

// TryBoard answers with what a board at an address says of itself.
func (s *Server) TryBoard(c *echo.Context) error {
	in, err := body[api.FirmwareAccess](c)
	if err != nil {
		return err
	}
	b, err := s.shop.TryBoard(c.Request().Context(), *access(&in))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, api.BoardFound{Model: b.Model, Version: b.Version, On: b.On, Settings: b.Settings, Known: b.Known})
}

// Sketch makes the sheets of a rig from its machine's own word.
func (s *Server) Sketch(c *echo.Context, rig api.RigID) error {
	r, err := s.shop.Sketch(c.Request().Context(), rig)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, apiRig(r))
}
