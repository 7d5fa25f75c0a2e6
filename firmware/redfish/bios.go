package redfish

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"

	"zerokeel/core/invalid"
	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/firmware"
)

type biosResource struct {
	ID                string `json:"@odata.id"`
	AttributeRegistry string
	Attributes        map[string]any
	Settings          struct {
		SettingsObject ref
	} `json:"@Redfish.Settings"`
	Actions struct {
		Reset struct {
			Target string `json:"target"`
		} `json:"#Bios.ResetBios"`
	}
}

func (c *Client) readBios(ctx context.Context) (*biosResource, error) {
	system, err := c.readSystem(ctx)
	if err != nil {
		return nil, err
	}
	if system.Bios.ID == "" {
		return nil, firmware.Unclear(errors.New("the board's service offers no firmware settings (Bios resource)"))
	}
	var bios biosResource
	if _, err := c.get(ctx, system.Bios.ID, &bios); err != nil {
		return nil, err
	}
	return &bios, nil
}

// attribute is an entry of the attribute registry.
type attribute struct {
	Name      string   `json:"AttributeName"`
	Type      string   `json:"Type"` // Integer, Enumeration, Boolean, String, Password
	Label     string   `json:"DisplayName"`
	MenuPath  string   `json:"MenuPath"`
	ReadOnly  bool     `json:"ReadOnly"`
	Lowest    *float64 `json:"LowerBound"`
	Highest   *float64 `json:"UpperBound"`
	Step      *float64 `json:"ScalarIncrement"`
	Default   any      `json:"DefaultValue"`
	Positions []struct {
		Name string `json:"ValueName"`
	} `json:"Value"`
}

// learnt returns the attribute in the terms in which a board's sheet is learnt.
func (a attribute) learnt() trim.Learnt {
	out := trim.Learnt{Attribute: a.Name, Label: a.Label, Menu: []string{}, Type: a.Type, Default: a.Default, Positions: []string{}}
	if path := strings.TrimPrefix(a.MenuPath, "./"); path != "" {
		out.Menu = strings.Split(path, "/")
	}
	for to, from := range map[*float64]*float64{&out.Min: a.Lowest, &out.Max: a.Highest, &out.Step: a.Step} {
		if from != nil {
			*to = *from
		}
	}
	for _, p := range a.Positions {
		out.Positions = append(out.Positions, p.Name)
	}
	return out
}

// Registry implements firmware.Board.
func (c *Client) Registry(ctx context.Context) ([]trim.Learnt, error) {
	registry, err := c.registry(ctx)
	list := make([]trim.Learnt, 0, len(registry))
	for _, name := range slices.Sorted(maps.Keys(registry)) {
		list = append(list, registry[name].learnt())
	}
	return list, err
}

// registry reads the board's attribute registry: every attribute by name.
func (c *Client) registry(ctx context.Context) (map[string]attribute, error) {
	bios, err := c.readBios(ctx)
	if err != nil {
		return nil, err
	}
	var list struct{ Members []ref }
	if _, err := c.get(ctx, "/redfish/v1/Registries", &list); err != nil {
		return nil, err
	}
	for _, m := range list.Members {
		var file struct {
			ID       string `json:"Id"`
			Registry string
			Location []struct{ Uri string }
		}
		if _, err := c.get(ctx, m.ID, &file); err != nil {
			return nil, err
		}
		if (file.ID != bios.AttributeRegistry && file.Registry != bios.AttributeRegistry) || len(file.Location) == 0 {
			continue
		}
		var registry struct {
			RegistryEntries struct{ Attributes []attribute }
		}
		if _, err := c.get(ctx, file.Location[0].Uri, &registry); err != nil {
			return nil, err
		}
		byName := make(map[string]attribute, len(registry.RegistryEntries.Attributes))
		for _, a := range registry.RegistryEntries.Attributes {
			byName[a.Name] = a
		}
		return byName, nil
	}
	return nil, fmt.Errorf("the board names the attribute registry %q but does not offer it", bios.AttributeRegistry)
}

// Restarts implements firmware.Board.
func (*Client) Restarts() bool { return true }

// Stage implements firmware.Board: everything is checked against the board's own registry first.
func (c *Client) Stage(ctx context.Context, board *part.Board, settings trim.Settings) error {
	registry, err := c.registry(ctx)
	if err != nil {
		return err
	}
	var faults invalid.List
	attributes := map[string]any{}
	for _, key := range slices.Sorted(maps.Keys(settings)) {
		spelt, err := trim.ToAttributes(board, key, settings[key])
		if err != nil {
			faults.Add(key, "correct the board sheet", "%v", err)
			continue
		}
		for name, value := range spelt {
			attribute, ok := registry[name]
			if !ok {
				faults.Add(key, "correct the board sheet, or update the firmware", "the board has no attribute %s", name)
			} else if problem := attribute.refuses(value); problem != "" {
				faults.Add(key, "correct the board sheet's range", "attribute %s %s", name, problem)
			}
			attributes[name] = value
		}
	}
	if len(faults) > 0 {
		return faults
	}
	bios, err := c.readBios(ctx)
	if err != nil {
		return err
	}
	target := bios.Settings.SettingsObject.ID
	if target == "" {
		return errors.New("the board's firmware settings cannot be changed over the network (no settings resource)")
	}
	var pending struct{ Attributes map[string]any }
	etag, err := c.get(ctx, target, &pending)
	if err != nil {
		return err
	}
	return c.change(ctx, http.MethodPatch, target, etag, map[string]any{"Attributes": attributes})
}

// refuses tells why the attribute does not take a value, "" if it does.
func (a attribute) refuses(value any) string {
	if a.ReadOnly {
		return "is read-only"
	}
	if n, ok := value.(int); ok {
		x := float64(n)
		switch {
		case a.Type != "Integer":
			return "is of type " + a.Type + ", not a number"
		case a.Lowest != nil && x < *a.Lowest, a.Highest != nil && x > *a.Highest:
			return fmt.Sprintf("does not take %d", n)
		}
		return ""
	}
	for _, p := range a.Positions {
		if p.Name == value {
			return ""
		}
	}
	return fmt.Sprintf("has no position %q", value)
}

// Read implements firmware.Board.
func (c *Client) Read(ctx context.Context, set *part.Set, asked trim.Settings) (firmware.Readback, error) {
	bios, err := c.readBios(ctx)
	if err != nil {
		return firmware.Readback{}, err
	}
	found := trim.Settings{}
	for key := range asked {
		if v, err := trim.FromAttributes(set.Board, key, bios.Attributes); err == nil {
			found[key] = v
		}
	}
	return firmware.Readback{Found: found, Differences: trim.NotInForce(asked, found)}, nil
}

var _ firmware.Board = (*Client)(nil)
