package agent

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"zerokeel/rigside/sensors"
)

// coresFile is where an agent keeps how its machine's cores are numbered, so that one that is switched off, in firmware or in the running
// system, does not lend its number to the next.
const coresFile = "cores.json"

// numbering is how a machine's cores are numbered. Another processor is numbered anew.
type numbering struct {
	Processor string         `json:"processor"`
	Cores     []sensors.Core `json:"cores"`
}

// numbered gives a machine's cores the numbers that they have had since its agent first saw them.
func numbered(dir, processor string, found []sensors.Core) ([]sensors.Core, error) {
	path := filepath.Join(dir, coresFile)
	var before numbering
	text, err := os.ReadFile(path)
	if err == nil && json.Unmarshal(text, &before) != nil {
		before = numbering{} // cut off
	} else if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, fmt.Errorf("look up how the cores are numbered: %w", err)
	}
	if before.Processor != processor {
		before.Cores = nil
	}
	before.Cores = slices.DeleteFunc(before.Cores, func(c sensors.Core) bool { return len(c.CPUs) == 0 })
	now := numbering{processor, sensors.Number(before.Cores, found)}
	if text, err = json.Marshal(now); err == nil {
		err = os.WriteFile(path, text, 0o600)
	}
	if err != nil {
		return nil, fmt.Errorf("note how the cores are numbered: %w", err)
	}
	return now.Cores, nil
}

// offNow reports whether a core is switched off at this moment; where the kernel does not tell, as it was when the agent started.
func (a *agent) offNow(core int) bool {
	c := &a.cores[core]
	text, err := fs.ReadFile(a.cfg.Root, "sys/devices/system/cpu/online")
	if err != nil {
		return c.Off
	}
	for span := range strings.SplitSeq(strings.TrimSpace(string(text)), ",") {
		first, last, isSpan := strings.Cut(span, "-")
		from, err := strconv.Atoi(first)
		to := from
		if isSpan {
			to, _ = strconv.Atoi(last)
		}
		if err == nil && from <= c.CPUs[0] && c.CPUs[0] <= to {
			return false
		}
	}
	return true
}

// coresNow lists the cores with which of them are switched off at this moment.
func (a *agent) coresNow() []sensors.Core {
	out := slices.Clone(a.cores)
	for i := range out {
		out[i].Off = a.offNow(i)
	}
	return out
}
