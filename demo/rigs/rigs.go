// Package rigs holds the stand-ins of the demo. Their files here say what is hidden of a rig; its parts are those of
// docs/examples.
package rigs

import (
	"embed"
	"encoding/json"
	"fmt"

	"zerokeel/docs/examples"
)

//go:embed *.standin.json
var files embed.FS

// Standin returns the whole file of a stand-in, such as "petrel", with its parts filled in.
func Standin(name string) ([]byte, error) {
	hidden, err := files.ReadFile(name + ".standin.json")
	if err != nil {
		return nil, fmt.Errorf("stand-in %s: %w", name, err)
	}
	var out, parts map[string]json.RawMessage
	if err := json.Unmarshal(hidden, &out); err != nil {
		return nil, fmt.Errorf("stand-in %s: %w", name, err)
	}
	var sheets string
	if err := json.Unmarshal(out["sheets"], &sheets); err != nil {
		return nil, fmt.Errorf("stand-in %s: its sheets are not named: %w", name, err)
	}
	delete(out, "sheets")
	text, err := examples.Files.ReadFile(sheets + ".parts.json")
	if err != nil {
		return nil, fmt.Errorf("stand-in %s: %w", name, err)
	}
	if err := json.Unmarshal(text, &parts); err != nil {
		return nil, fmt.Errorf("stand-in %s: %w", name, err)
	}
	delete(parts, "format")
	if out["parts"], err = json.Marshal(parts); err != nil {
		return nil, fmt.Errorf("stand-in %s: %w", name, err)
	}
	return json.MarshalIndent(out, "", " ")
}
