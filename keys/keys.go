// Package keys keeps what must stay out of the database and its backups: the key by which secrets are sealed that the database
// holds, and the authority that signs the server's certificate. All of it lies in one folder of the owner's.
package keys

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
)

// Folder is a folder of keys.
type Folder string

// Open returns a folder of keys, which is made if it is not there yet. It must not be open to anybody else.
func Open(dir string) (Folder, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return "", fmt.Errorf("make the folder of keys: %w", err)
	}
	at, err := os.Stat(dir)
	if err != nil {
		return "", fmt.Errorf("look at the folder of keys: %w", err)
	}
	if at.Mode().Perm()&0o077 != 0 {
		return "", fmt.Errorf("the folder of keys, %s, is open to others on this machine: close it with chmod 700, or choose another with --keys", dir)
	}
	return Folder(dir), nil
}

// read returns a file of the folder, and makes it first if there is none. Of two processes that do so at once, both get what one
// of them made.
func (f Folder) read(name string, make func() ([]byte, error)) ([]byte, error) {
	path := filepath.Join(string(f), name)
	text, err := os.ReadFile(path)
	if !errors.Is(err, fs.ErrNotExist) {
		return text, wrap(err, name)
	}
	if text, err = make(); err != nil {
		return nil, wrap(err, name)
	}
	if err := place(path, text); err != nil && !errors.Is(err, fs.ErrExist) {
		return nil, wrap(err, name)
	}
	text, err = os.ReadFile(path)
	return text, wrap(err, name)
}

// place writes a file that is not there yet: whole, or not at all.
func place(path string, text []byte) error {
	part, err := os.CreateTemp(filepath.Dir(path), ".new-")
	if err != nil {
		return err
	}
	defer func() { _ = os.Remove(part.Name()) }()
	_, err = part.Write(text)
	if err := errors.Join(err, part.Sync(), part.Close()); err != nil {
		return err
	}
	return os.Link(part.Name(), path)
}

func wrap(err error, name string) error {
	if err != nil {
		return fmt.Errorf("read the key file %s: %w", name, err)
	}
	return nil
}
