package redfish

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"

	"zerokeel/firmware"
)

type ref struct {
	ID string `json:"@odata.id"`
}

type systemResource struct {
	PowerState   string
	BiosVersion  string
	Model        string
	BootProgress struct{ LastState string }
	Status       struct{ Health string }
	Bios         ref
	Actions      struct {
		Reset struct {
			Target  string   `json:"target"`
			Allowed []string `json:"ResetType@Redfish.AllowableValues"`
		} `json:"#ComputerSystem.Reset"`
	}
}

// State implements firmware.Board. Boot progress is one of Redfish's BootProgressTypes, such as "OSRunning"; a board that
// does not tell it is taken at its power state.
func (c *Client) State(ctx context.Context) (firmware.State, error) {
	r, err := c.readSystem(ctx)
	if err != nil {
		return firmware.State{}, err
	}
	if r.PowerState != "On" && r.PowerState != "Off" {
		// Empty, or between the two.
		return firmware.State{}, firmware.Unclear(fmt.Errorf("the board says neither that the machine is on nor that it is off, but %q", r.PowerState))
	}
	s := firmware.State{On: r.PowerState == "On", Critical: r.Status.Health == "Critical", Version: r.BiosVersion, Model: r.Model}
	switch r.BootProgress.LastState {
	case "", "OSRunning", "OSBootStarted":
		s.Running = s.On
	}
	return s, nil
}

// systemPath finds the first computer system that the service names. What it found is kept.
func (c *Client) systemPath(ctx context.Context) (string, error) {
	c.mu.Lock()
	found := c.system
	c.mu.Unlock()
	if found != "" {
		return found, nil
	}
	var root struct{ Systems ref }
	if _, err := c.get(ctx, "/redfish/v1/", &root); err != nil {
		return "", err
	}
	var list struct{ Members []ref }
	if _, err := c.get(ctx, root.Systems.ID, &list); err != nil {
		return "", err
	}
	if len(list.Members) == 0 {
		return "", firmware.Unclear(errors.New("the board's service names no computer system"))
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	c.system = list.Members[0].ID
	return c.system, nil
}

func (c *Client) readSystem(ctx context.Context) (*systemResource, error) {
	path, err := c.systemPath(ctx)
	if err != nil {
		return nil, err
	}
	var r systemResource
	if _, err := c.get(ctx, path, &r); err != nil {
		c.lost(err)
		return nil, err
	}
	return &r, nil
}

// lost forgets where the system lies when the service no longer knows that place, as after an update of its own.
func (c *Client) lost(err error) {
	var refusal *Error
	if errors.As(err, &refusal) && refusal.Status == http.StatusNotFound {
		c.mu.Lock()
		defer c.mu.Unlock()
		c.system = ""
	}
}

// Reset types that this package asks for.
const (
	resetOn      = "On"
	resetRestart = "ForceRestart"
)

// Apply implements firmware.Board. A running operating system is not asked first: a fitting is made while nothing else
// runs, and a frozen machine would not answer.
func (c *Client) Apply(ctx context.Context) error {
	r, err := c.readSystem(ctx)
	if err != nil {
		return err
	}
	kind := resetRestart
	if r.PowerState != "On" {
		kind = resetOn
	}
	action := r.Actions.Reset
	if action.Target == "" || (len(action.Allowed) > 0 && !slices.Contains(action.Allowed, kind)) {
		return fmt.Errorf("the board does not offer to restart the machine (%s)", kind)
	}
	return c.change(ctx, http.MethodPost, action.Target, "", map[string]string{"ResetType": kind})
}

// Clear implements firmware.Board.
func (c *Client) Clear(ctx context.Context) error {
	bios, err := c.readBios(ctx)
	if err != nil {
		return err
	}
	if bios.Actions.Reset.Target == "" {
		return errors.New("the board does not offer to clear its settings over the network; clear the CMOS at the board")
	}
	return c.change(ctx, http.MethodPost, bios.Actions.Reset.Target, "", map[string]string{})
}
