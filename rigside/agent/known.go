package agent

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"zerokeel/link"
	"zerokeel/rigside/journal"
)

// KnownFile is where an agent keeps the server that it was linked to, with its token: for root's eyes.
const KnownFile = "server.json"

// KeepServer keeps the server that this machine was linked to in its folder, whole or not at all.
func KeepServer(dir string, s link.Server) error {
	text, err := json.MarshalIndent(s, "", "  ")
	if err != nil {
		return err
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return fmt.Errorf("keep the server: %w", err)
	}
	f, err := os.CreateTemp(dir, KnownFile+".*") // nobody else may read it
	if err != nil {
		return fmt.Errorf("keep the server: %w", err)
	}
	_, err = f.Write(append(text, '\n'))
	err = errors.Join(err, f.Sync(), f.Close())
	if err == nil {
		err = os.Rename(f.Name(), filepath.Join(dir, KnownFile))
	}
	if err != nil {
		return fmt.Errorf("keep the server: %w", errors.Join(err, os.Remove(f.Name())))
	}
	if err := journal.Settle(dir); err != nil {
		return fmt.Errorf("keep the server: %w", err)
	}
	return nil
}

// KnownServer returns the server that this machine was linked to; false where it was linked to none.
func KnownServer(dir string) (s link.Server, known bool, err error) {
	path := filepath.Join(dir, KnownFile)
	text, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		return s, false, nil
	} else if err != nil {
		return s, false, fmt.Errorf("look up the server: %w", err)
	}
	if err := json.Unmarshal(text, &s); err != nil {
		return s, false, fmt.Errorf("%s is no longer readable; link this machine anew: %w", path, err)
	}
	return s, true, s.Check()
}
