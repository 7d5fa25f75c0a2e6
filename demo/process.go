package demo

import (
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"sync"
	"syscall"
	"time"
)

// process is a child that is started again whenever it ends, until it is stopped.
type process struct {
	log  string
	mu   sync.Mutex
	cmd  *exec.Cmd
	ends int
	quit bool
	done chan struct{}
}

// restartPause is the pause before something that ended is started again.
const restartPause = 200 * time.Millisecond

// giveUp is after how many ends in a row a child counts as failing, and settled how long it must have run to not count.
const (
	giveUp  = 30
	settled = 5 * time.Second
	grace   = 8 * time.Second
)

// start runs the demo's own program with arguments, and with secrets in its environment; its output goes to a log file of its name.
func (d *demo) start(name string, secrets []string, args ...string) *process {
	p := &process{log: filepath.Join(d.opt.Dir, name+".log"), done: make(chan struct{})}
	go func() {
		// The kernel ends the child when the thread that started it ends, so the thread stays.
		runtime.LockOSThread()
		defer close(p.done)
		for p.once(d.opt.Program, args, secrets) {
			time.Sleep(restartPause)
		}
	}()
	return p
}

// once runs the child to its end, and reports whether it shall be started again.
func (p *process) once(program string, args, secrets []string) bool {
	out, err := os.OpenFile(p.log, os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return false
	}
	defer func() { _ = out.Close() }()
	p.mu.Lock()
	if p.quit {
		p.mu.Unlock()
		return false
	}
	cmd := exec.Command(program, args...)
	cmd.Stdout, cmd.Stderr = out, out
	cmd.Env = append(append(os.Environ(), "GOGC=400"), secrets...) // memory is less scarce than time
	cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGTERM, Setpgid: true}
	begun := time.Now()
	err = cmd.Start()
	p.cmd = cmd
	p.mu.Unlock()
	if err == nil {
		_ = cmd.Wait()
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if time.Since(begun) < settled {
		p.ends++
	} else {
		p.ends = 0
	}
	return !p.quit && p.ends < giveUp
}

func (p *process) failed() bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.ends >= giveUp
}

// stop ends the child, by force if it lingers.
func (p *process) stop() {
	p.mu.Lock()
	p.quit = true
	if p.cmd != nil && p.cmd.Process != nil {
		_ = p.cmd.Process.Signal(syscall.SIGTERM)
	}
	p.mu.Unlock()
	select {
	case <-p.done:
	case <-time.After(grace):
		_ = p.cmd.Process.Kill()
		<-p.done
	}
}

func portFree(port int) error {
	l, err := net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", port))
	if err != nil {
		return fmt.Errorf("port %d is in use, perhaps by another demo; choose another with --port", port)
	}
	return l.Close()
}
