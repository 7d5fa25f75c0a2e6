package server

import (
	"encoding/json"
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/core/part"
	"zerokeel/server/api"
	"zerokeel/workshop"
)

// WordSetting writes in how a rig's board calls a setting.
func (s *Server) WordSetting(c *echo.Context, rig api.RigID) error {
	in, err := body[api.Wording](c)
	if err != nil {
		return err
	}
	err = s.shop.Word(c.Request().Context(), rig, workshop.Wording{Setting: in.Setting, Label: in.Label, Menu: in.Menu, Min: in.Min,
		Max: in.Max, Step: in.Step})
	if err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// ListParts answers with every part sheet.
func (s *Server) ListParts(c *echo.Context) error {
	parts, err := s.shop.Parts(c.Request().Context())
	if err != nil {
		return err
	}
	out := []api.Part{}
	for i := range parts {
		one, err := apiPart(&parts[i])
		if err != nil {
			return err
		}
		out = append(out, one)
	}
	return c.JSON(http.StatusOK, out)
}

func apiPart(p *workshop.PartSheet) (api.Part, error) {
	out := api.Part{Version: workshop.VersionOfPart(p), Kind: p.Kind, Id: p.ID, Name: p.Name}
	if err := json.Unmarshal(p.Sheet, &out.Sheet); err != nil {
		return out, fmt.Errorf("read %s sheet %s: %w", p.Kind, p.ID, err)
	}
	return out, nil
}

// PutPart stores a part sheet after it was checked whole.
func (s *Server) PutPart(c *echo.Context, kind, id string) error {
	text, err := whole(c)
	if err != nil {
		return err
	}
	stored, err := s.shop.SavePart(c.Request().Context(), kind, id, text)
	if err != nil {
		return err
	}
	out, err := apiPart(stored)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

// GetPart answers with one sheet, as PutPart takes it.
func (s *Server) GetPart(c *echo.Context, kind, id string) error {
	p, err := s.shop.Part(c.Request().Context(), kind, id)
	if err != nil {
		return err
	}
	tagged(c, workshop.VersionOfPart(p))
	attach(c, fmt.Sprintf("%s.%s.json", id, kind))
	return c.JSONBlob(http.StatusOK, p.Sheet)
}

// DeletePart removes a sheet that no rig uses.
func (s *Server) DeletePart(c *echo.Context, kind, id string) error {
	return gone(c, s.shop.DropPart(c.Request().Context(), kind, id))
}

// LearnBoard reads the registry of a rig's board, and proposes which setting each attribute is.
func (s *Server) LearnBoard(c *echo.Context, id int64) error {
	list, err := s.shop.LearnBoard(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, list)
}

// DraftBoard makes a draft of a board's sheet from its registry and a mapping.
func (s *Server) DraftBoard(c *echo.Context, id int64) error {
	in, err := body[api.DraftBoardRequest](c)
	if err != nil {
		return err
	}
	draft, err := s.shop.DraftBoard(c.Request().Context(), id, part.Name{ID: in.Id, Maker: deref(in.Maker), Model: in.Model}, in.Mapping)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, draft)
}
