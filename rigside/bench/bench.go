// Package bench is the first and only process of a machine that was started from the bench stick: it loads what its devices need, finds the
// stick and the network, links the machine by a code, runs the agent, and shows on the machine's own screen what goes on. No disk of the
// machine is touched.
package bench

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"os/signal"
	"path/filepath"
	"sync"
	"syscall"
	"time"

	"golang.org/x/sys/unix"

	"zerokeel/link"
	"zerokeel/quiet"
	"zerokeel/rigside/agent"
	"zerokeel/rigside/headers"
	"zerokeel/rigside/sensors"
)

// Folders are those that the first file system needs, to mount on.
var Folders = []string{"dev", "proc", "sys", "run", "tmp", "etc", stickFolder[1:]}

// IsFirst is whether this process is a machine's first one.
func IsFirst() bool { return os.Getpid() == 1 && filepath.Base(os.Args[0]) == "init" }

// machine is the one that was started.
type machine struct {
	screen *screen
	log    *slog.Logger
	note   Note
	state  string // folder of the agent's journal and spool
	stop   context.CancelFunc

	mu  sync.Mutex
	how link.Power // what is done in the end
}

// Run does it all, and returns only when the machine is about to go off or to start anew, which the caller can do nothing about.
func Run() {
	mounted := mount()
	_ = os.Setenv("PATH", "/bin")
	ctx, stop := signal.NotifyContext(context.Background(), syscall.SIGTERM, syscall.SIGUSR1)
	m := &machine{stop: stop, how: link.Restart}
	m.screen = newScreen(openConsoles())
	m.log = slog.New(quiet.Handler(words{m.screen}, time.Now))
	_ = unix.Reboot(unix.LINUX_REBOOT_CMD_CAD_OFF) // Ctrl+Alt+Del is ours: SIGINT
	again := make(chan os.Signal, 1)
	signal.Notify(again, os.Interrupt)
	go func() { <-again; m.end(link.Restart) }()
	go m.keys(ctx)
	go m.screen.run(ctx)
	if mounted != nil {
		m.log.Error("the kernel's file systems are not there", "error", mounted)
	}
	if err := m.work(ctx); err != nil && ctx.Err() == nil {
		m.screen.say(err.Error())
		<-ctx.Done()
	}
	m.leave()
}

// end has the machine go off, or start anew.
func (m *machine) end(how link.Power) {
	m.mu.Lock()
	m.how = how
	m.mu.Unlock()
	m.stop()
}

// answeredWithin is how long an answer to the server may take on its way before the machine goes.
const answeredWithin = 500 * time.Millisecond

// ordered is what the server orders.
func (m *machine) ordered(how link.Power) error {
	time.AfterFunc(answeredWithin, func() { m.end(how) })
	return nil
}

// leave takes the stick off and ends the machine.
func (m *machine) leave() {
	m.mu.Lock()
	how := m.how
	m.mu.Unlock()
	if how == link.PowerOff {
		m.screen.say("Shutting down")
	} else {
		m.screen.say("Starting anew")
	}
	m.screen.draw(time.Now())
	unix.Sync()
	_ = unix.Unmount(stickFolder, 0)
	unix.Sync()
	if how == link.PowerOff {
		_ = unix.Reboot(unix.LINUX_REBOOT_CMD_POWER_OFF)
	}
	_ = unix.Reboot(unix.LINUX_REBOOT_CMD_RESTART)
}

// work is what the machine is there for.
func (m *machine) work(ctx context.Context) error {
	m.screen.say("Looking for devices")
	found, err := readModules("/"+ModuleFolder, "/"+ModuleTable, insert)
	if err != nil {
		m.log.Error("the kernel's modules cannot be used", "error", err)
	}
	devices := follow(ctx, found, m.log)
	m.screen.say("Looking for the stick")
	m.findStick(ctx, devices)
	_ = unix.Sethostname([]byte(hostName()))
	m.screen.say("Looking for the network")
	if err := m.network(ctx); err != nil {
		return err
	}
	m.screen.say("")
	for ctx.Err() == nil {
		known, err := m.link(ctx)
		if err != nil {
			return err
		}
		cfg := agent.Config{Server: known, StateDir: m.state, Root: os.DirFS("/"), Files: headers.OnDisk("/"), Log: m.log,
			Show: m.screen.show, Power: m.ordered, Off: func() bool { return ctx.Err() != nil }}
		err = agent.Run(ctx, cfg)
		var refused *link.Refusal
		if ctx.Err() != nil || !errors.As(err, &refused) {
			return err
		}
		// The rig is gone, or another machine has its token: another code is asked for.
		m.log.Error("the server refuses this machine", "error", err)
		if err := os.Remove(filepath.Join(m.state, agent.KnownFile)); err != nil && !errors.Is(err, os.ErrNotExist) {
			return err
		}
		m.note.Codes = nil
	}
	return nil
}

// link returns the server that this machine knows, or is linked to by a code: of the stick's, the first that is good, or else one that is
// typed.
func (m *machine) link(ctx context.Context) (link.Server, error) {
	if known, is, err := agent.KnownServer(m.state); err != nil {
		m.log.Error("what the stick knows of the server is not readable", "error", err)
	} else if is {
		return known, nil
	}
	allowed, err := sensors.Allowed()
	if err != nil {
		return link.Server{}, err
	}
	root := os.DirFS("/")
	facts := sensors.Facts(root, sensors.Cores(root, allowed))
	codes := m.note.Codes
	for {
		text := ""
		if len(codes) > 0 {
			text, codes = codes[0], codes[1:]
		} else if text, err = m.screen.ask(ctx); err != nil {
			return link.Server{}, err
		}
		code, err := link.ParseCode(text)
		if err != nil {
			m.screen.say(err.Error())
			continue
		}
		m.screen.say("Asking " + code.Address)
		known, err := link.Redeem(ctx, code, facts, func(rig string, problem error) {
			if problem != nil {
				m.screen.say(fmt.Sprintf("%s does not answer yet: %v", code.Address, problem))
				return
			}
			m.screen.say(fmt.Sprintf("%s answers: take this machine in on the page of %s", code.Address, rig))
		})
		if ctx.Err() != nil {
			return link.Server{}, ctx.Err()
		}
		if err == nil {
			err = agent.KeepServer(m.state, known)
		}
		if err == nil {
			m.screen.say("")
			return known, nil
		}
		m.screen.say(err.Error())
	}
}
