package server

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/http"
	"slices"

	"github.com/labstack/echo/v5"

	"zerokeel/core/invalid"
	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/server/api"
	"zerokeel/store"
)

// ListParts answers with every part sheet.
func (s *Server) ListParts(c *echo.Context) error {
	parts, err := s.store.Parts(c.Request().Context())
	if err != nil {
		return err
	}
	out := []api.Part{}
	for _, p := range parts {
		one, err := apiPart(p)
		if err != nil {
			return err
		}
		out = append(out, one)
	}
	return c.JSON(http.StatusOK, out)
}

func apiPart(p store.Part) (api.Part, error) {
	out := api.Part{Kind: p.Kind, Id: p.ID, Name: p.Name}
	if err := json.Unmarshal(p.Sheet, &out.Sheet); err != nil {
		return out, fmt.Errorf("read %s sheet %s: %w", p.Kind, p.ID, err)
	}
	return out, nil
}

// PutPart stores a part sheet after it was checked whole.
func (s *Server) PutPart(c *echo.Context, kind, id string) error {
	text, err := io.ReadAll(c.Request().Body)
	if err != nil {
		return fmt.Errorf("read the request: %w", err)
	}
	sheet, err := part.ParseSheet(part.Kind(kind), text)
	if err != nil {
		return err
	}
	name := partName(sheet)
	if name.ID != id {
		var f invalid.List
		f.Add("id", "let both agree", "the sheet says %q, the address %q", name.ID, id)
		return f
	}
	stored := store.Part{Kind: kind, ID: id, Name: name.String(), Sheet: text}
	if err := s.store.PutPart(c.Request().Context(), stored); err != nil {
		return err
	}
	s.fits.forget()
	out, err := apiPart(stored)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

func partName(sheet any) part.Name {
	switch p := sheet.(type) {
	case *part.Processor:
		return p.Name
	case *part.Board:
		return p.Name
	case *part.Cooler:
		return p.Name
	case *part.Memory:
		return p.Name
	}
	return part.Name{}
}

// GetPart answers with one sheet, as PutPart takes it.
func (s *Server) GetPart(c *echo.Context, kind, id string) error {
	p, err := s.store.Part(c.Request().Context(), kind, id)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", fmt.Sprintf(`attachment; filename="%s.%s.json"`, id, kind))
	return c.JSONBlob(http.StatusOK, p.Sheet)
}

// DeletePart removes a sheet that no rig uses.
func (s *Server) DeletePart(c *echo.Context, kind, id string) error {
	err := s.store.DeletePart(c.Request().Context(), kind, id)
	if errors.Is(err, store.ErrTaken) {
		return &conflict{"a rig uses this sheet"}
	} else if err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// LearnBoard reads the registry of a rig's board, and proposes which setting each attribute is.
func (s *Server) LearnBoard(c *echo.Context, id int64) error {
	list, _, err := s.registry(c.Request().Context(), id)
	if err != nil {
		return err
	}
	trim.Propose(list)
	return c.JSON(http.StatusOK, list)
}

// DraftBoard makes a draft of a board's sheet from its registry and a mapping.
func (s *Server) DraftBoard(c *echo.Context, id int64) error {
	in, err := body[api.DraftBoardRequest](c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	list, r, err := s.registry(ctx, id)
	if err != nil {
		return err
	}
	var f invalid.List
	known, taken := map[string]bool{}, map[string]string{}
	for i := range list {
		key := in.Mapping[list[i].Attribute]
		known[list[i].Attribute] = true
		list[i].Setting = key
		if key == "" {
			continue
		}
		if _, _, ok := trim.Find(key); !ok {
			f.Add("mapping."+list[i].Attribute, "name a setting, or leave it out", "there is no setting %q", key)
		} else if other, twice := taken[key]; twice {
			f.Add("mapping."+list[i].Attribute, "name each setting once", "%s is %s already", key, other)
		}
		taken[key] = list[i].Attribute
	}
	for _, name := range slices.Sorted(maps.Keys(in.Mapping)) {
		if !known[name] {
			f.Add("mapping."+name, "remove it", "the board has no such attribute")
		}
	}
	if len(f) > 0 {
		return f
	}
	draft := part.Board{}
	if set, err := s.store.PartSet(ctx, r); err == nil {
		draft = *set.Board
		draft.Quirks = nil
	} else if !errors.Is(err, store.ErrNotFound) {
		return err
	}
	draft.ID, draft.Model, draft.Maker = in.Id, in.Model, ""
	if in.Maker != nil {
		draft.Maker = *in.Maker
	}
	draft.Settings = trim.SheetFrom(list)
	return c.JSON(http.StatusOK, draft)
}

// registry reads the attribute registry of a rig's board.
func (s *Server) registry(ctx context.Context, id int64) ([]trim.Learnt, *store.Rig, error) {
	r, err := s.store.Rig(ctx, id)
	if err != nil {
		return nil, nil, err
	}
	if r.FirmwareAddress == "" {
		return nil, nil, &conflict{"the board of " + r.Name + " is not reached over the network; give its address on the rig's sheet"}
	}
	board, err := s.boards.Of(r)
	if err != nil {
		return nil, nil, &conflict{err.Error()}
	}
	list, err := board.Registry(ctx)
	if err != nil {
		return nil, nil, &conflict{"the board's registry cannot be read: " + err.Error()}
	}
	return list, r, nil
}
