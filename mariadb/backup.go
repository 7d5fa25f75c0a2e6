package mariadb

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/go-sql-driver/mysql"
)

// Backups is a folder of backups. They come in chains: a full one, and what came since, each from the end of the one before. A chain
// is a folder named by its moment, and so is each backup in it.
type Backups string

// Backup is one backup of a chain.
type Backup struct {
	Chain, Name string
	Bytes       int64
}

// backupTool is Debian's program for consistent copies of a server that runs.
const backupTool = "mariadb-backup"

// Moments name folders, so that their order is that of time. What is under way, or was broken off, has a name of its own.
const (
	momentForm = "20060102T150405.000Z"
	partSuffix = ".part"
)

// ErrNoBackup reports a folder without a whole backup.
var ErrNoBackup = errors.New("there is no whole backup here")

// Make backs up the server of a data source name, which goes on meanwhile: in full where there is no chain yet or one is asked for,
// and else what came since the newest backup. The server's files have to be readable here. A password is not shown to other programs.
func (b Backups) Make(ctx context.Context, source string, full bool) (Backup, error) {
	cfg, err := mysql.ParseDSN(source)
	if err != nil {
		return Backup{}, fmt.Errorf("read the data source name: %w", err)
	}
	chains, err := b.Chains()
	if err != nil {
		return Backup{}, err
	}
	now := time.Now().UTC().Format(momentForm)
	out := Backup{Chain: now, Name: now}
	args := []string{"--backup", "--parallel=2"}
	if len(chains) > 0 && !full {
		newest := chains[len(chains)-1]
		out.Chain = newest[0].Chain
		args = append(args, "--incremental-basedir="+b.path(newest[len(newest)-1]))
	}
	target := b.path(out)
	if err := os.MkdirAll(filepath.Dir(target), 0o700); err != nil {
		return Backup{}, fmt.Errorf("back up: %w", err)
	}
	access, err := accessFile(string(b), cfg)
	if err != nil {
		return Backup{}, err
	}
	defer func() { _ = os.Remove(access) }()
	if err := run(ctx, append([]string{"--defaults-file=" + access}, append(args, "--target-dir="+target+partSuffix)...)); err != nil {
		return Backup{}, errors.Join(fmt.Errorf("back up: %w", err), os.RemoveAll(target+partSuffix))
	}
	if err := os.Rename(target+partSuffix, target); err != nil {
		return Backup{}, fmt.Errorf("back up: %w", err)
	}
	out.Bytes, err = size(target)
	return out, err
}

func (b Backups) path(one Backup) string { return filepath.Join(string(b), one.Chain, one.Name) }

// accessFile writes how a server is reached into a file that nobody else reads.
func accessFile(dir string, cfg *mysql.Config) (string, error) {
	f, err := os.CreateTemp(dir, ".access-")
	if err != nil {
		return "", fmt.Errorf("back up: %w", err)
	}
	lines := []string{"[client]", "user=" + cfg.User}
	if cfg.Passwd != "" {
		lines = append(lines, `password="`+strings.NewReplacer(`\`, `\\`, `"`, `\"`).Replace(cfg.Passwd)+`"`)
	}
	if cfg.Net == "unix" {
		lines = append(lines, "socket="+cfg.Addr)
	} else {
		host, port, _ := strings.Cut(cfg.Addr, ":")
		lines = append(lines, "host="+host, "port="+cmp.Or(port, "3306"))
	}
	_, err = f.WriteString(strings.Join(lines, "\n") + "\n")
	if err := errors.Join(err, f.Close()); err != nil {
		return "", fmt.Errorf("back up: %w", err)
	}
	return f.Name(), nil
}

// run runs the tool, and returns its last words where it fails.
func run(ctx context.Context, args []string) error {
	tool, err := find(backupTool)
	if err != nil {
		return errors.New("mariadb-backup is not installed: run ./keel install, or apt-get install mariadb-backup")
	}
	out, err := exec.CommandContext(ctx, tool, args...).CombinedOutput()
	if err == nil {
		return nil
	}
	lines := strings.Split(strings.TrimSpace(string(out)), "\n")
	return fmt.Errorf("%w: %s", err, strings.Join(lines[max(0, len(lines)-3):], "; "))
}

func size(dir string) (total int64, err error) {
	err = filepath.WalkDir(dir, func(_ string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		info, err := e.Info()
		if err == nil {
			total += info.Size()
		}
		return err
	})
	return total, err
}

// Chains lists the whole backups by chain, the oldest first.
func (b Backups) Chains() ([][]Backup, error) {
	var out [][]Backup
	folders, err := os.ReadDir(string(b))
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	} else if err != nil {
		return nil, fmt.Errorf("list backups: %w", err)
	}
	for _, f := range folders {
		if _, err := time.Parse(momentForm, f.Name()); err != nil || !f.IsDir() {
			continue
		}
		inside, err := os.ReadDir(filepath.Join(string(b), f.Name()))
		if err != nil {
			return nil, fmt.Errorf("list backups: %w", err)
		}
		var chain []Backup
		for _, one := range inside {
			if _, err := time.Parse(momentForm, one.Name()); err == nil {
				chain = append(chain, Backup{Chain: f.Name(), Name: one.Name()})
			}
		}
		if len(chain) > 0 && chain[0].Name == f.Name() {
			out = append(out, chain)
		}
	}
	return out, nil
}

// Age returns how long ago the newest chain was begun; not ok where there is none.
func (b Backups) Age(now time.Time) (age time.Duration, ok bool, err error) {
	chains, err := b.Chains()
	if err != nil || len(chains) == 0 {
		return 0, false, err
	}
	at, err := time.Parse(momentForm, chains[len(chains)-1][0].Name)
	return now.Sub(at), err == nil, err
}

// Keep removes all chains but the newest, and what was broken off.
func (b Backups) Keep(newest int) error {
	chains, err := b.Chains()
	if err != nil {
		return err
	}
	var kept []string
	for _, c := range chains[max(0, len(chains)-newest):] {
		kept = append(kept, c[0].Chain)
	}
	folders, err := os.ReadDir(string(b))
	if err != nil {
		return fmt.Errorf("remove old backups: %w", err)
	}
	for _, f := range folders {
		path := filepath.Join(string(b), f.Name())
		if _, err := time.Parse(momentForm, f.Name()); err != nil {
			continue // not ours
		}
		if !slices.Contains(kept, f.Name()) {
			if err := os.RemoveAll(path); err != nil {
				return fmt.Errorf("remove an old backup: %w", err)
			}
			continue
		}
		broken, err := filepath.Glob(filepath.Join(path, "*"+partSuffix))
		if err != nil {
			return err
		}
		for _, one := range broken {
			if err := os.RemoveAll(one); err != nil {
				return fmt.Errorf("remove what was broken off: %w", err)
			}
		}
	}
	return nil
}

// Restore puts the newest state, or the one of the last backup up to a moment, into a folder for a server that Start starts, which
// must hold no data. The backups stay as they are. It returns the backup whose state that is.
func (b Backups) Restore(ctx context.Context, dir, upTo string) (Backup, error) {
	chains, err := b.Chains()
	if err != nil {
		return Backup{}, err
	}
	var chain []Backup
	for _, c := range chains {
		n := len(c)
		for n > 0 && upTo != "" && c[n-1].Name > upTo {
			n--
		}
		if n > 0 {
			chain = c[:n]
		}
	}
	if len(chain) == 0 {
		return Backup{}, ErrNoBackup
	}
	data := filepath.Join(dir, dataName)
	if _, err := os.Stat(data); !errors.Is(err, fs.ErrNotExist) {
		return Backup{}, fmt.Errorf("there is data in %s already: move it away first", data)
	}
	fresh, step := data+".restored", data+".step"
	if err := errors.Join(os.RemoveAll(fresh), os.MkdirAll(dir, 0o700), os.CopyFS(fresh, os.DirFS(b.path(chain[0])))); err != nil {
		return Backup{}, fmt.Errorf("restore: %w", err)
	}
	defer func() { _ = os.RemoveAll(step) }()
	const prepare, memory = "--prepare", "--use-memory=256M"
	if err := run(ctx, []string{"--no-defaults", prepare, memory, "--target-dir=" + fresh}); err != nil {
		return Backup{}, fmt.Errorf("restore: %w", err)
	}
	for _, one := range chain[1:] {
		if err := errors.Join(os.RemoveAll(step), os.CopyFS(step, os.DirFS(b.path(one)))); err != nil {
			return Backup{}, fmt.Errorf("restore: %w", err)
		}
		if err := run(ctx, []string{"--no-defaults", prepare, memory, "--target-dir=" + fresh, "--incremental-dir=" + step}); err != nil {
			return Backup{}, fmt.Errorf("restore: %w", err)
		}
	}
	if err := os.Rename(fresh, data); err != nil {
		return Backup{}, fmt.Errorf("restore: %w", err)
	}
	return chain[len(chain)-1], nil
}
