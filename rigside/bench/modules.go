package bench

import (
	"encoding/json"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"strings"

	"golang.org/x/sys/unix"
)

// Where the kernel's modules lie in the first file system, and the table of them.
const (
	ModuleFolder = "modules"
	ModuleTable  = "modules.json"
)

// Module is one of the kernel's: its path below the folder of modules, what it says it is for, and which others it needs, or likes to have
// before it.
type Module struct {
	Path    string   `json:"path"`
	Aliases []string `json:"aliases,omitempty"` // patterns of what devices call themselves
	Needs   []string `json:"needs,omitempty"`
	Likes   []string `json:"likes,omitempty"`
}

// Name is what the module is called by others.
func (m *Module) Name() string {
	name, _, _ := strings.Cut(path.Base(m.Path), ".ko")
	return ModuleName(name)
}

// ModuleName is a module's name as the kernel has it, however it is written.
func ModuleName(name string) string { return strings.ReplaceAll(strings.TrimSpace(name), "-", "_") }

// always are modules that are needed whatever devices there are: to read the stick, and the processor's own registers.
var always = []string{"msr", "cpuid", "sd_mod", "vfat", "nls_ascii", "nls_cp437", "nls_iso8859_1", "nls_utf8"}

// monitors is the folder of the drivers of sensors. Of these, some look for their chip themselves: no device asks for them.
const monitors = "drivers/hwmon/"

// modules loads what the machine's devices ask for.
type modules struct {
	dir    string
	load   func(path string) error
	byName map[string]*Module
	all    []Module
	tried  map[string]bool // by path
	asked  map[string]bool // by what devices call themselves
}

func readModules(root, table string, load func(path string) error) (*modules, error) {
	m := &modules{dir: root, load: load, byName: map[string]*Module{}, tried: map[string]bool{}, asked: map[string]bool{}}
	text, err := os.ReadFile(table)
	if err == nil {
		err = json.Unmarshal(text, &m.all)
	}
	if err != nil {
		return m, fmt.Errorf("read the table of modules: %w", err)
	}
	for i := range m.all {
		m.byName[m.all[i].Name()] = &m.all[i]
	}
	return m, nil
}

// byNames loads modules by their names. Those that do not find their chip are no fault.
func (m *modules) byNames(names []string) {
	for _, name := range names {
		if one := m.byName[ModuleName(name)]; one != nil {
			m.add(one)
		}
	}
}

// probe loads what looks for its chip itself.
func (m *modules) probe() {
	m.byNames(always)
	for i := range m.all {
		if one := &m.all[i]; strings.HasPrefix(one.Path, monitors) && len(one.Aliases) == 0 {
			m.add(one)
		}
	}
}

// add loads a module, and before it what it needs.
func (m *modules) add(one *Module) {
	if m.tried[one.Path] {
		return
	}
	m.tried[one.Path] = true
	m.byNames(one.Likes)
	m.byNames(one.Needs)
	_ = m.load(filepath.Join(m.dir, one.Path)) // refused where there is nothing for it to do
}

// ask loads what fits a device by what it calls itself.
func (m *modules) ask(alias string) {
	if alias = strings.TrimSpace(alias); alias == "" || m.asked[alias] {
		return
	}
	m.asked[alias] = true
	for i := range m.all {
		for _, pattern := range m.all[i].Aliases {
			if fits(pattern, alias) {
				m.add(&m.all[i])
				break
			}
		}
	}
}

// fits is whether a device's name fits a module's pattern, of stars, question marks and sets.
func fits(pattern, name string) bool {
	// Names of devices hold slashes, which the pattern's stars pass over.
	ok, err := path.Match(strings.ReplaceAll(pattern, "/", "\x01"), strings.ReplaceAll(name, "/", "\x01"))
	return ok && err == nil
}

// askAll asks for every device that the kernel shows.
func (m *modules) askAll(devices string) {
	_ = filepath.WalkDir(devices, func(name string, d fs.DirEntry, err error) error {
		if err == nil && d.Name() == "modalias" && d.Type().IsRegular() {
			if text, err := os.ReadFile(name); err == nil {
				m.ask(string(text))
			}
		}
		return nil
	})
}

// insert gives a module to the kernel.
func insert(name string) error {
	f, err := os.Open(name)
	if err != nil {
		return err
	}
	defer func() { _ = f.Close() }()
	flags := 0
	if !strings.HasSuffix(name, ".ko") {
		flags = unix.MODULE_INIT_COMPRESSED_FILE
	}
	return unix.FinitModule(int(f.Fd()), "", flags)
}
