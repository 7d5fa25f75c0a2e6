package firmware

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
)

type ref struct {
	ID string `json:"@odata.id"`
}

// System is the state of the machine as its board tells it.
type System struct {
	On           bool
	BootProgress string // Redfish BootProgressTypes, such as "OSRunning"; empty if the board does not tell
	Health       string
	BiosVersion  string
	Model        string
}

// Running reports whether the operating system has been started.
func (s System) Running() bool {
	return s.On && (s.BootProgress == "OSRunning" || s.BootProgress == "OSBootStarted" || s.BootProgress == "")
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

// System reads the machine's state.
func (c *Client) System(ctx context.Context) (System, error) {
	r, err := c.readSystem(ctx)
	if err != nil {
		return System{}, err
	}
	return System{On: r.PowerState == "On", BootProgress: r.BootProgress.LastState, Health: r.Status.Health, BiosVersion: r.BiosVersion, Model: r.Model}, nil
}

func (c *Client) readSystem(ctx context.Context) (*systemResource, error) {
	if c.system == "" {
		var root struct{ Systems ref }
		if _, err := c.get(ctx, "/redfish/v1/", &root); err != nil {
			return nil, err
		}
		var list struct{ Members []ref }
		if _, err := c.get(ctx, root.Systems.ID, &list); err != nil {
			return nil, err
		}
		if len(list.Members) == 0 {
			return nil, errors.New("the board's service names no computer system")
		}
		c.system = list.Members[0].ID
	}
	var r systemResource
	if _, err := c.get(ctx, c.system, &r); err != nil {
		return nil, err
	}
	return &r, nil
}

// Reset types that this package asks for.
const (
	resetOn      = "On"
	resetRestart = "ForceRestart"
)

// Restart starts the machine anew at once, or switches it on. A running operating system is not asked first: a
// fitting is made while nothing else runs, and a frozen machine would not answer.
func (c *Client) Restart(ctx context.Context) error {
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

// ClearSettings sets every attribute back to the board's default at the next start, as clearing the CMOS does.
func (c *Client) ClearSettings(ctx context.Context) error {
	bios, err := c.readBios(ctx)
	if err != nil {
		return err
	}
	if bios.Actions.Reset.Target == "" {
		return errors.New("the board does not offer to clear its settings over the network; clear the CMOS at the board")
	}
	return c.change(ctx, http.MethodPost, bios.Actions.Reset.Target, "", map[string]string{})
}
