package sensors

import (
	"golang.org/x/sys/unix"
)

// KernelLog returns the records that the kernel's log holds. A machine that does not show its log has none.
func KernelLog() []Record {
	fd, err := unix.Open("/dev/kmsg", unix.O_RDONLY|unix.O_NONBLOCK|unix.O_CLOEXEC, 0)
	if err != nil {
		return nil
	}
	defer func() { _ = unix.Close(fd) }()
	var out []Record
	buffer := make([]byte, 16<<10) // a record is shorter
	for range 1 << 20 {
		n, err := unix.Read(fd, buffer)
		if err == unix.EPIPE { // overwritten while it was read: the next one
			continue
		}
		if err != nil || n <= 0 {
			break
		}
		if r, ok := ParseRecord(string(buffer[:n])); ok {
			out = append(out, r)
		}
	}
	return out
}
