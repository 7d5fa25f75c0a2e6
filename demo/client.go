package demo

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"

	"zerokeel/server/api"
)

// client calls the API as a page does.
type client struct{ address string }

func (c *client) call(ctx context.Context, method, path string, in, out any) error {
	var text []byte
	if in != nil {
		var err error
		if text, err = json.Marshal(in); err != nil {
			return fmt.Errorf("%s %s: %w", method, path, err)
		}
	}
	request, err := http.NewRequestWithContext(ctx, method, c.address+path, bytes.NewReader(text))
	if err != nil {
		return fmt.Errorf("%s %s: %w", method, path, err)
	}
	if in != nil {
		request.Header.Set("Content-Type", "application/json")
	}
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		return fmt.Errorf("%s %s: %w", method, path, err)
	}
	defer func() { _ = response.Body.Close() }()
	answer, err := io.ReadAll(response.Body)
	if err != nil {
		return fmt.Errorf("%s %s: %w", method, path, err)
	}
	if response.StatusCode >= 300 {
		return fmt.Errorf("%s %s: %s %s", method, path, response.Status, strings.TrimSpace(string(answer)))
	}
	if out == nil {
		return nil
	}
	if err := json.Unmarshal(answer, out); err != nil {
		return fmt.Errorf("%s %s: %w", method, path, err)
	}
	return nil
}

func (c *client) setBoard(ctx context.Context, rig int64, address, user, password string) error {
	return c.call(ctx, "PATCH", fmt.Sprintf("/api/rigs/%d", rig),
		api.UpdateRigRequest{Firmware: &api.FirmwareAccess{Address: address, User: &user, Password: &password}}, nil)
}

// untilLinked waits until a rig is linked, or until it is not, for as long as the process that links it, where one is named, does not
// fail.
func (c *client) untilLinked(ctx context.Context, rig int64, linked bool, by *process) error {
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	if err := until(ctx, func() (bool, error) {
		if by != nil && by.failed() {
			return false, errors.New("its process does not start; its log is " + by.log)
		}
		var r api.Rig
		err := c.call(ctx, "GET", fmt.Sprintf("/api/rigs/%d", rig), nil, &r)
		return r.Linked == linked, err
	}); err != nil {
		return fmt.Errorf("wait for rig %d to be linked (%t): %w", rig, linked, err)
	}
	return nil
}
