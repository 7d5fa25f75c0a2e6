package headers_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"zerokeel/rigside/headers"
)

// machine makes the files of a chip with two headers: one that the board drives, one that stands at a duty by hand, and one whose driver
// cannot be told to let go.
func machine(t *testing.T) (root string) {
	t.Helper()
	root = t.TempDir()
	chip := filepath.Join(root, "sys/class/hwmon/hwmon1")
	if err := os.MkdirAll(chip, 0o755); err != nil {
		t.Fatal(err)
	}
	for name, text := range map[string]string{"name": "boardchip\n", "pwm1": "97\n", "pwm1_enable": "5\n",
		"pwm2": "128\n", "pwm2_enable": "1\n",
		"pwm3": "60\n", "pwm1_mode": "1\n", "fan1_input": "900\n"} {
		if err := os.WriteFile(filepath.Join(chip, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	return root
}

func read(t *testing.T, root, name string) string {
	t.Helper()
	text, err := os.ReadFile(filepath.Join(root, "sys/class/hwmon/hwmon1", name))
	if err != nil {
		t.Fatal(err)
	}
	return strings.TrimSpace(string(text))
}

// TestHeadersComeBack: a header that was taken is given back as it was: at the end, by the next start after a program that was killed, and
// where it could not be taken at all.
func TestHeadersComeBack(t *testing.T) {
	root, state := machine(t), t.TempDir()
	list := headers.Find(os.DirFS(root))
	if len(list) != 2 || list[0].Key != "duty.boardchip.pwm1" || list[1].Key != "duty.boardchip.pwm2" {
		t.Fatalf("headers: %+v", list)
	}
	for i, was := range [][2]string{{"97", "5"}, {"128", "1"}} {
		pwm := list[i].Key[len("duty.boardchip."):]
		for _, end := range []string{"given back", "killed"} {
			k, err := headers.NewKeeper(os.DirFS(root), headers.OnDisk(root), state)
			if err != nil {
				t.Fatal(err)
			}
			set, back, err := k.Take(list[i])
			if err != nil {
				t.Fatal(err)
			}
			for _, row := range []struct {
				duty float64
				file string
			}{{100, "255"}, {0, "0"}, {40, "102"}} {
				if err := set(row.duty); err != nil {
					t.Fatal(err)
				}
				if got := read(t, root, pwm); got != row.file || read(t, root, pwm+"_enable") != "1" {
					t.Errorf("%g %%: %s, driven by %s", row.duty, got, read(t, root, pwm+"_enable"))
				}
			}
			if end == "given back" {
				err = back()
			} else {
				_, err = headers.NewKeeper(os.DirFS(root), headers.OnDisk(root), state)
			}
			if err != nil {
				t.Fatal(err)
			}
			if enable := read(t, root, pwm+"_enable"); enable != was[1] || was[1] == "1" && read(t, root, pwm) != was[0] {
				t.Errorf("%s, %s: %s, driven by %s; it was at %s and %s", pwm, end, read(t, root, pwm), enable, was[0], was[1])
			}
			if _, err := os.Stat(filepath.Join(state, "header.json")); !os.IsNotExist(err) {
				t.Error("the note is left though nothing is taken")
			}
		}
	}
	refuses := func(name, text string) error {
		if strings.HasSuffix(name, "_enable") && text == "1" {
			return os.ErrPermission
		}
		return headers.OnDisk(root)(name, text)
	}
	k, err := headers.NewKeeper(os.DirFS(root), refuses, state)
	if err != nil {
		t.Fatal(err)
	}
	if _, _, err := k.Take(list[0]); err == nil || read(t, root, "pwm1_enable") != "5" {
		t.Errorf("%v; driven by %s", err, read(t, root, "pwm1_enable"))
	}
	if err := os.WriteFile(filepath.Join(state, "header.json"), []byte(`{"file":"etc/passwd","enable":"1","duty":"0"}`), 0o600); err != nil {
		t.Fatal(err)
	}
	writes := func(name, _ string) error { t.Errorf("%s is written", name); return nil }
	if _, err := headers.NewKeeper(os.DirFS(root), writes, state); err != nil {
		t.Error(err)
	}
}
