package bench

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"golang.org/x/sys/unix"
)

// mount mounts what the kernel shows of itself and of its devices, and folders in memory.
func mount() error {
	var all []error
	for _, m := range []struct {
		what, where, kind string
		flags             uintptr
		options           string
	}{
		{"proc", "/proc", "proc", unix.MS_NOSUID | unix.MS_NOEXEC | unix.MS_NODEV, ""},
		{"sysfs", "/sys", "sysfs", unix.MS_NOSUID | unix.MS_NOEXEC | unix.MS_NODEV, ""},
		{"devtmpfs", "/dev", "devtmpfs", unix.MS_NOSUID, "mode=0755"},
		{"tmpfs", "/run", "tmpfs", unix.MS_NOSUID | unix.MS_NODEV, "mode=0700,size=64m"},
		{"tmpfs", "/tmp", "tmpfs", unix.MS_NOSUID | unix.MS_NODEV, "mode=0700,size=16m"},
	} {
		if err := unix.Mount(m.what, m.where, m.kind, m.flags, m.options); err != nil && !errors.Is(err, unix.EBUSY) {
			all = append(all, fmt.Errorf("%s: %w", m.where, err))
		}
	}
	return errors.Join(all...)
}

// follow loads the modules that the devices ask for that are there, and from then on those of each device that comes, as the kernel tells.
// The channel gets a word whenever something came; it is nil where the kernel does not tell.
func follow(ctx context.Context, m *modules, log *slog.Logger) <-chan struct{} {
	came := make(chan struct{}, 1)
	events, err := listen()
	if err != nil {
		log.Error("the kernel does not tell of devices that come", "error", err)
	}
	m.askAll("/sys/devices")
	m.probe()
	if events < 0 {
		return nil
	}
	go func() {
		<-ctx.Done()
		_ = unix.Shutdown(events, unix.SHUT_RD)
	}()
	go func() {
		buffer := make([]byte, 64<<10)
		for {
			n, _, err := unix.Recvfrom(events, buffer, 0)
			switch {
			case ctx.Err() != nil:
				return
			case errors.Is(err, unix.EINTR):
				continue
			case errors.Is(err, unix.ENOBUFS): // more came than was heard
				m.askAll("/sys/devices")
			case err != nil:
				log.Error("the kernel tells no more of devices that come", "error", err)
				return
			}
			for line := range bytes.SplitSeq(buffer[:max(n, 0)], []byte{0}) {
				if alias, is := bytes.CutPrefix(line, []byte("MODALIAS=")); is {
					m.ask(string(alias))
				}
			}
			select {
			case came <- struct{}{}:
			default:
			}
		}
	}()
	return came
}

// listen opens a socket on which the kernel tells of devices that come and go.
func listen() (int, error) {
	s, err := unix.Socket(unix.AF_NETLINK, unix.SOCK_DGRAM|unix.SOCK_CLOEXEC, unix.NETLINK_KOBJECT_UEVENT)
	if err != nil {
		return -1, err
	}
	_ = unix.SetsockoptInt(s, unix.SOL_SOCKET, unix.SO_RCVBUFFORCE, 4<<20)
	if err := unix.Bind(s, &unix.SockaddrNetlink{Family: unix.AF_NETLINK, Groups: 1}); err != nil {
		_ = unix.Close(s)
		return -1, err
	}
	return s, nil
}

// Where the stick is mounted, and where the agent's folder is while there is none.
const (
	stickFolder  = "/stick"
	memoryFolder = "/run/zerokeel"
	stateFolder  = "zerokeel" // on the stick; a folder for each machine in it
)

// label is what the stick's file system is called, as it stands in its first sector, and where.
const (
	label   = "ZEROKEEL   "
	labelAt = 71
)

// stickWithin is how long the stick may take to show itself.
const stickWithin = 20 * time.Second

// findStick mounts the stick, reads its note, and chooses where the agent keeps its journal: on the stick, where a restart does not lose
// it.
func (m *machine) findStick(ctx context.Context, came <-chan struct{}) {
	m.state = memoryFolder
	end := time.NewTimer(stickWithin)
	defer end.Stop()
	look := time.NewTicker(500 * time.Millisecond)
	defer look.Stop()
	device := ""
	for device = labelled("/sys/class/block", "/dev"); device == ""; device = labelled("/sys/class/block", "/dev") {
		select {
		case <-ctx.Done():
			return
		case <-end.C:
			m.screen.keeps("no stick is seen: what runs is not known after a restart")
			return
		case <-look.C:
		case <-came:
		}
	}
	const options = "umask=0077,utf8,tz=UTC,flush"
	err := unix.Mount(device, stickFolder, "vfat", unix.MS_NOSUID|unix.MS_NODEV|unix.MS_NOEXEC|unix.MS_NOATIME, options)
	readOnly := errors.Is(err, unix.EROFS) || errors.Is(err, unix.EACCES)
	if readOnly {
		err = unix.Mount(device, stickFolder, "vfat", unix.MS_NOSUID|unix.MS_NODEV|unix.MS_NOEXEC|unix.MS_RDONLY, options)
	}
	if err != nil {
		m.screen.keeps("the stick cannot be read: " + err.Error())
		return
	}
	text, err := os.ReadFile(filepath.Join(stickFolder, NoteFile))
	if err != nil {
		m.log.Warn("the stick has no note", "error", err)
	}
	note, faults := ParseNote(string(text))
	m.note = note
	for _, f := range faults {
		m.log.Error("a line of the stick's note does not count", "error", f.Error())
	}
	if readOnly {
		m.screen.keeps("the stick is read-only: what runs is not known after a restart")
		return
	}
	state := filepath.Join(stickFolder, stateFolder, machineID("/sys"))
	if err := os.MkdirAll(state, 0o700); err != nil {
		m.screen.keeps("the stick has no room: what runs is not known after a restart")
		return
	}
	m.state = state
	m.screen.keeps("")
	go m.watchStick(ctx, filepath.Join("/sys/class/block", filepath.Base(device)), came)
}

// stickEvery is how often is looked whether the stick is there.
const stickEvery = time.Second

// watchStick waits until the stick is pulled out. What is kept lies in memory from then on, at the same place.
func (m *machine) watchStick(ctx context.Context, device string, came <-chan struct{}) {
	look := time.NewTicker(stickEvery)
	defer look.Stop()
	for {
		if _, err := os.Stat(device); err != nil {
			break
		}
		select {
		case <-ctx.Done():
			return
		case <-look.C:
		case <-came:
		}
	}
	if err := unix.Unmount(stickFolder, unix.MNT_DETACH); err != nil {
		m.log.Error("the stick that is gone cannot be unmounted", "error", err)
	}
	if err := os.MkdirAll(m.state, 0o700); err != nil {
		m.log.Error("nothing can be kept in memory", "error", err)
	}
	m.screen.keeps("the stick is gone; put it back and start anew, or a restart tells nothing")
}

// labelled returns the block device that holds the stick's file system, empty where none does.
func labelled(class, dev string) string {
	devices, err := os.ReadDir(class)
	if err != nil {
		return ""
	}
	for _, d := range devices {
		name := filepath.Join(dev, d.Name())
		f, err := os.Open(name)
		if err != nil {
			continue
		}
		first := make([]byte, 512)
		n, _ := f.ReadAt(first, 0)
		_ = f.Close()
		if n == len(first) && string(first[labelAt:labelAt+len(label)]) == label {
			return name
		}
	}
	return ""
}

// machineID tells this machine from others that are started from the same stick: by what its firmware says, or else its network card.
func machineID(sys string) string {
	for _, name := range []string{"product_uuid", "board_serial"} {
		text, err := os.ReadFile(filepath.Join(sys, "class/dmi/id", name))
		if id := strings.ToLower(strings.TrimSpace(string(text))); err == nil && isID(id) {
			return id
		}
	}
	if mac := firstMAC(); mac != "" {
		return mac
	}
	return "machine"
}

// isID is whether a firmware's word tells machines apart: many leave it at what it was delivered with.
func isID(id string) bool {
	letters := map[rune]bool{}
	for _, r := range id {
		if !(r >= 'a' && r <= 'z' || r >= '0' && r <= '9' || r == '-' || r == '.') {
			return false
		}
		letters[r] = true
	}
	return len(id) >= 6 && len(id) <= 64 && len(letters) > 4 && id != "default" && !strings.HasPrefix(id, "03000200-0400-0500-0006")
}

// firstMAC is the address of the first network card, without colons.
func firstMAC() string {
	var all []string
	cards, _ := net.Interfaces()
	for _, c := range cards {
		if len(c.HardwareAddr) == 6 {
			all = append(all, strings.ReplaceAll(c.HardwareAddr.String(), ":", ""))
		}
	}
	if len(all) == 0 {
		return ""
	}
	return slices.Min(all)
}

func hostName() string {
	if mac := firstMAC(); mac != "" {
		return "bench-" + mac[6:]
	}
	return "bench"
}
