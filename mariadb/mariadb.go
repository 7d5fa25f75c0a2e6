// Package mariadb runs Debian's MariaDB server from a data folder of the project's own, on loopback: it sets the
// folder up at first use, starts the server, notices when it dies, and stops it cleanly. A lock keeps two servers
// off the same folder, since the second would hang.
package mariadb

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"
	"golang.org/x/sys/unix"
)

// ErrNotInstalled reports that Debian's package mariadb-server is missing.
var ErrNotInstalled = errors.New("MariaDB's server is not installed; run ./keel install, or apt-get install mariadb-server")

// ErrInUse reports that another server runs on the folder.
var ErrInUse = errors.New("another MariaDB server runs on this data folder; stop it, or name another folder with --data")

// Config says where and how a server runs. Port 0 leaves it reachable through its socket only.
type Config struct {
	Dir        string // data folder, made if missing
	Port       int
	BufferPool string // such as "128M"; empty means 64M

	member *member // of a cluster, or nil
}

// Server is a running server.
type Server struct {
	cfg    Config
	socket string
	lock   *os.File
	cmd    *exec.Cmd
	done   chan struct{}
	err    error
}

const (
	startTimeout = 60 * time.Second
	stopTimeout  = 30 * time.Second
	maxSocket    = 100 // socket paths are limited to 107 bytes
	socketName   = "m.sock"
	dataName     = "data"
	tempName     = "tmp"
)

// Start runs a server and returns once it answers. It stops with the context's process, at the latest.
func Start(ctx context.Context, cfg Config) (*Server, error) {
	binary, err := find("mariadbd")
	if err != nil {
		return nil, err
	}
	dir, err := filepath.Abs(cfg.Dir)
	if err != nil {
		return nil, fmt.Errorf("start MariaDB: %w", err)
	}
	cfg.Dir = dir
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("start MariaDB: %w", err)
	}
	// A server that starts clears its folder of temporary files, whosever they are, so none shares one with another.
	temp := filepath.Join(dir, tempName)
	if err := os.MkdirAll(temp, 0o700); err != nil {
		return nil, fmt.Errorf("start MariaDB: %w", err)
	}
	if cfg.member != nil {
		if err := errors.Join(ownedByMember(dir), ownedByMember(temp)); err != nil {
			return nil, fmt.Errorf("start MariaDB: %w", err)
		}
	}
	s := &Server{cfg: cfg, socket: filepath.Join(dir, socketName), done: make(chan struct{})}
	if len(s.socket) > maxSocket {
		return nil, fmt.Errorf("start MariaDB: the path %s is too long for a socket; use a shorter data folder", dir)
	}
	if s.lock, err = lock(filepath.Join(dir, "lock")); err != nil {
		return nil, err
	}
	if err := s.install(ctx); err != nil {
		_ = s.lock.Close()
		return nil, err
	}
	if err := s.launch(ctx, binary); err != nil {
		_ = s.lock.Close()
		return nil, err
	}
	if err := s.await(ctx); err != nil {
		_ = s.Stop()
		return nil, err
	}
	return s, nil
}

func find(name string) (string, error) {
	if path, err := exec.LookPath(name); err == nil {
		return path, nil
	}
	if path := "/usr/sbin/" + name; isFile(path) {
		return path, nil
	}
	return "", ErrNotInstalled
}

func isFile(path string) bool {
	info, err := os.Stat(path)
	return err == nil && info.Mode().IsRegular()
}

func lock(path string) (*os.File, error) {
	f, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, fmt.Errorf("lock the data folder: %w", err)
	}
	if err := unix.Flock(int(f.Fd()), unix.LOCK_EX|unix.LOCK_NB); err != nil {
		_ = f.Close()
		return nil, ErrInUse
	}
	return f, nil
}

// install makes the data folder at first use. It is made beside and renamed, so that a kill leaves none or a whole one.
func (s *Server) install(ctx context.Context) error {
	data := filepath.Join(s.cfg.Dir, dataName)
	if _, err := os.Stat(data); err == nil {
		return nil
	} else if !errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("set up MariaDB: %w", err)
	}
	tool, err := find("mariadb-install-db")
	if err != nil {
		return err
	}
	fresh := data + ".new"
	if err := os.RemoveAll(fresh); err != nil {
		return fmt.Errorf("set up MariaDB: %w", err)
	}
	args := append([]string{"--no-defaults", "--datadir=" + fresh, "--tmpdir=" + s.temp(), "--skip-test-db",
		"--auth-root-authentication-method=normal", "--skip-name-resolve", "--innodb-log-file-size=16M",
		"--innodb-buffer-pool-size=64M"}, s.asUser()...)
	if out, err := exec.CommandContext(ctx, tool, args...).CombinedOutput(); err != nil {
		return fmt.Errorf("set up MariaDB: %w\n%s", err, out)
	}
	if err := os.Rename(fresh, data); err != nil {
		return fmt.Errorf("set up MariaDB: %w", err)
	}
	return nil
}

// temp is the server's own folder of temporary files.
func (s *Server) temp() string { return filepath.Join(s.cfg.Dir, tempName) }

// asUser tells a server that root starts on whose behalf it runs. A member of a cluster is copied by a program that may not
// write as root.
func (s *Server) asUser() []string {
	switch {
	case os.Geteuid() != 0:
		return nil
	case s.cfg.member != nil:
		return []string{"--user=" + memberUser}
	}
	return []string{"--user=root"}
}

// args are the server's arguments.
func (s *Server) args() []string {
	pool := s.cfg.BufferPool
	if pool == "" {
		pool = "64M"
	}
	args := append([]string{"--no-defaults", "--datadir=" + filepath.Join(s.cfg.Dir, dataName), "--tmpdir=" + s.temp(), "--socket=" + s.socket,
		"--pid-file=" + filepath.Join(s.cfg.Dir, "m.pid"), "--log-error=" + filepath.Join(s.cfg.Dir, "m.log"), "--skip-name-resolve",
		"--skip-log-bin", "--character-set-server=utf8mb4", "--collation-server=utf8mb4_unicode_ci", "--performance-schema=OFF",
		"--innodb-buffer-pool-size=" + pool, "--innodb-log-file-size=16M", "--max-allowed-packet=64M"}, s.asUser()...)
	if s.cfg.Port > 0 {
		args = append(args, "--bind-address=127.0.0.1", fmt.Sprintf("--port=%d", s.cfg.Port))
	} else {
		args = append(args, "--skip-networking")
	}
	if s.cfg.member != nil {
		args = append(args, s.cfg.member.args()...)
	}
	return args
}

func (s *Server) launch(ctx context.Context, binary string) error {
	args := s.args()
	if s.cfg.member != nil {
		position, err := recoveredPosition(ctx, binary, args)
		if err != nil {
			return err
		}
		args = append(args, position...)
	}
	s.cmd = exec.Command(binary, args...)
	// The kernel stops the server when the thread that started it ends, so that thread must live as long.
	s.cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGTERM, Setpgid: true}
	started := make(chan error, 1)
	go func() {
		runtime.LockOSThread()
		if err := s.cmd.Start(); err != nil {
			started <- fmt.Errorf("start MariaDB: %w", err)
			return
		}
		started <- nil
		s.err = s.cmd.Wait()
		_ = s.lock.Close()
		close(s.done)
	}()
	return <-started
}

// await waits until the server answers, or dies.
func (s *Server) await(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, startTimeout)
	defer cancel()
	db, err := sql.Open("mysql", s.DSN(""))
	if err != nil {
		return fmt.Errorf("start MariaDB: %w", err)
	}
	defer func() { _ = db.Close() }()
	tick := time.NewTicker(20 * time.Millisecond)
	defer tick.Stop()
	for {
		// A member of a cluster answers a ping before it has taken in what it missed, and a query only after.
		if _, err = db.ExecContext(ctx, "DO 1"); err == nil {
			return nil
		}
		select {
		case <-s.done:
			return fmt.Errorf("MariaDB stopped at its start; its log is %s: %w", filepath.Join(s.cfg.Dir, "m.log"), errors.Join(s.err))
		case <-ctx.Done():
			return fmt.Errorf("MariaDB does not answer after %s; its log is %s: %w", startTimeout, filepath.Join(s.cfg.Dir, "m.log"), err)
		case <-tick.C:
		}
	}
}

// DSN returns the data source name of a database on the server, through its socket.
func (s *Server) DSN(database string) string { return dsn(s.socket, database) }

// DSN names a database of the server that runs in a folder.
func DSN(dir, database string) string { return dsn(filepath.Join(dir, socketName), database) }

func dsn(socket, database string) string {
	c := mysql.NewConfig()
	c.User, c.Net, c.Addr, c.DBName = "root", "unix", socket, database
	Defaults(c)
	return c.FormatDSN()
}

// Defaults sets what every connection of the project has: UTC, times as time.Time, rows matched instead of changed.
func Defaults(c *mysql.Config) {
	c.ParseTime, c.Loc, c.ClientFoundRows = true, time.UTC, true
	c.Params = map[string]string{"time_zone": "'+00:00'"}
	c.Logger = &mysql.NopLogger{}
}

// Create makes a database if it does not exist.
func (s *Server) Create(ctx context.Context, database string) error {
	db, err := sql.Open("mysql", s.DSN(""))
	if err != nil {
		return fmt.Errorf("create database %s: %w", database, err)
	}
	defer func() { _ = db.Close() }()
	if _, err := db.ExecContext(ctx, "CREATE DATABASE IF NOT EXISTS `"+database+"`"); err != nil {
		return fmt.Errorf("create database %s: %w", database, err)
	}
	return nil
}

// Socket returns the path of the server's socket.
func (s *Server) Socket() string { return s.socket }

// PID returns the server's process id.
func (s *Server) PID() int { return s.cmd.Process.Pid }

// Done is closed when the server has ended.
func (s *Server) Done() <-chan struct{} { return s.done }

// Stop ends the server cleanly, by force if it does not.
func (s *Server) Stop() error {
	_ = s.cmd.Process.Signal(syscall.SIGTERM)
	select {
	case <-s.done:
		return nil
	case <-time.After(stopTimeout):
		_ = s.cmd.Process.Kill()
		<-s.done
		return errors.New("MariaDB did not stop within its time and was killed; it will recover at its next start")
	}
}

// Ports that are chosen lie below those that systems give to whoever connects: one that is free now, and listened at in half a minute, is
// not taken by a connection meanwhile.
const firstPort, ports, portTries = 15000, 15000, 200

// FreePort returns a port of the loopback that nobody listens at.
func FreePort() (int, error) {
	var err error
	for range portTries {
		port := firstPort + rand.N(ports)
		var l net.Listener
		if l, err = net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", port)); err == nil {
			return port, l.Close()
		}
	}
	return 0, fmt.Errorf("find a free port: %w", err)
}

// Drop removes a database with everything in it.
func (s *Server) Drop(ctx context.Context, database string) error {
	db, err := sql.Open("mysql", s.DSN(""))
	if err != nil {
		return fmt.Errorf("drop database %s: %w", database, err)
	}
	defer func() { _ = db.Close() }()
	if _, err := db.ExecContext(ctx, "DROP DATABASE IF EXISTS `"+database+"`"); err != nil {
		return fmt.Errorf("drop database %s: %w", database, err)
	}
	return nil
}
