package core_test

import (
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"zerokeel/core/trim"
)

// TestHandbookNamesWhatIsThere: what the handbook says stands on a button, a field or a sheet stands in the application, its keys are
// those of the sheets, and every page and picture that it leads to exists; every page is in the list of the first.
func TestHandbookNamesWhatIsThere(t *testing.T) {
	const folder = "../docs/handbook"
	pages, err := filepath.Glob(folder + "/*.md")
	if err != nil || len(pages) < 10 {
		t.Fatalf("%d pages: %v", len(pages), err)
	}
	said := plain(sources(t))
	sheets := map[string]string{}
	entry := regexp.MustCompile(`title: '([^']+)'(?:, key: '(.)')?`)
	for _, m := range entry.FindAllStringSubmatch(read(t, "../web/src/frame/sheets.ts"), -1) {
		sheets[m[1]] = m[2]
	}
	listed := read(t, folder+"/index.md")
	link := regexp.MustCompile(`\]\(([^)]+)\)`)
	sheet := regexp.MustCompile("\\*\\*([A-Z][a-z]+(?: sheets)?)\\*\\*(?: \\(`g (.)`\\))?")
	label := regexp.MustCompile(`(?:^|[^*])\*([^*]+)\*(?:[^*]|$)`)
	for _, path := range pages {
		name, text := filepath.Base(path), read(t, path)
		if name != "index.md" && !strings.Contains(listed, "]("+name+")") {
			t.Errorf("%s is not in the list of the handbook", name)
		}
		for _, m := range link.FindAllStringSubmatch(text, -1) {
			if _, err := os.Stat(filepath.Join(folder, m[1])); err != nil {
				t.Errorf("%s leads to %s: %v", name, m[1], err)
			}
		}
		for _, m := range sheet.FindAllStringSubmatch(text, -1) {
			if key, is := sheets[m[1]]; is && m[2] != "" && m[2] != key {
				t.Errorf("%s: %s is at g %s, and the handbook says g %s", name, m[1], key, m[2])
			} else if !is && m[2] != "" {
				t.Errorf("%s: there is no sheet %s", name, m[1])
			}
		}
		for _, m := range label.FindAllStringSubmatch(text, -1) {
			if words := plain(m[1]); !strings.Contains(said, words) {
				t.Errorf("%s: %q stands nowhere in the application", name, m[1])
			}
		}
	}
}

// sources are the texts of the application: its pages, and the words of its core.
func sources(t *testing.T) string {
	t.Helper()
	var all []string
	for _, folder := range []string{"../web/src", "../core"} {
		err := filepath.WalkDir(folder, func(path string, d os.DirEntry, err error) error {
			if kind := filepath.Ext(path); err == nil && !d.IsDir() && slices.Contains([]string{".ts", ".tsx", ".go", ".json"}, kind) &&
				!strings.HasSuffix(path, "_test.go") && !strings.Contains(path, ".gen.") {
				all = append(all, read(t, path))
			}
			return err
		})
		if err != nil {
			t.Fatal(err)
		}
	}
	for _, d := range trim.Registry {
		all = append(all, d.Name)
	}
	return strings.Join(all, "\n")
}

// plain folds white space, and the two ways to write an apostrophe and a minus.
func plain(text string) string {
	return strings.NewReplacer("’", "'", "\u2212", "-").Replace(strings.Join(strings.Fields(text), " "))
}
