package mariadb

import (
	"context"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
)

// ErrNoGalera reports that Debian's package galera-4 is missing.
var ErrNoGalera = errors.New("the library of Galera is not installed; run ./keel test galera, or apt-get install galera-4")

// libraries are where Debian's package and others put the library that makes servers a cluster.
var libraries = []string{"/usr/lib/galera/libgalera_smm.so", "/usr/lib64/galera-4/libgalera_smm.so"}

// member is what a server of a cluster has beside what every server has.
type member struct {
	name      string
	library   string
	addresses []string // of all members, where they talk to each other
	address   string   // of this one
	received  string   // where this one takes in what it missed, as long as that is kept elsewhere
	copied    string   // where it takes in everything
	begins    bool     // the first of a new cluster
}

func (m *member) args() []string {
	options := []string{"gmcast.listen_addr=tcp://" + m.address, "ist.recv_addr=" + m.received, "gcache.size=128M"}
	args := []string{"--wsrep-on=ON", "--wsrep-provider=" + m.library, "--wsrep-cluster-name=keel", "--wsrep-node-name=" + m.name,
		"--wsrep-cluster-address=gcomm://" + strings.Join(m.addresses, ","), "--wsrep-node-address=" + m.address,
		"--wsrep-provider-options=" + strings.Join(options, ";"), "--wsrep-sst-method=rsync",
		"--wsrep-sst-receive-address=" + m.copied, "--binlog-format=ROW", "--innodb-autoinc-lock-mode=2"}
	if m.begins {
		args = append(args, "--wsrep-new-cluster")
	}
	return args
}

// memberUser is who runs the members of a cluster that root starts: the user of Debian's package.
const memberUser = "mysql"

// ownedByMember gives a folder that root has made to the user of members.
func ownedByMember(dir string) error {
	if os.Geteuid() != 0 {
		return nil
	}
	who, err := user.Lookup(memberUser)
	if err != nil {
		return err
	}
	uid, err := strconv.Atoi(who.Uid)
	if err != nil {
		return err
	}
	if err := os.Chmod(filepath.Dir(dir), 0o711); err != nil { // to be passed through
		return err
	}
	return os.Chown(dir, uid, -1)
}

// recoveredPosition asks a server of a cluster up to where its data go, which it has to be told at its start.
func recoveredPosition(ctx context.Context, binary string, args []string) ([]string, error) {
	out, err := exec.CommandContext(ctx, binary, append(slices.Clone(args), "--wsrep-recover", "--disable-log-error")...).CombinedOutput()
	if err != nil {
		return nil, fmt.Errorf("ask a node of the cluster for its position: %w\n%s", err, out)
	}
	_, position, found := strings.Cut(string(out), "Recovered position:")
	if !found {
		return nil, nil // it has none yet
	}
	position, _, _ = strings.Cut(strings.TrimSpace(position), "\n")
	return []string{"--wsrep-start-position=" + strings.TrimSpace(position)}, nil
}

// Cluster is servers on loopback that hold the same data, each of which takes writes (Galera).
type Cluster struct {
	dir     string
	members []member

	mu      sync.Mutex
	servers []*Server // nil for one that does not run
}

// StartCluster runs a cluster of n servers, each in a folder of its own below dir, and returns once all of them answer.
func StartCluster(ctx context.Context, dir string, n int) (*Cluster, error) {
	i := slices.IndexFunc(libraries, isFile)
	if i < 0 {
		return nil, ErrNoGalera
	}
	c := &Cluster{dir: dir, servers: make([]*Server, n)}
	var addresses []string
	for k := range n {
		ports, err := freeAddresses(3)
		if err != nil {
			return nil, err
		}
		addresses = append(addresses, ports[0])
		c.members = append(c.members, member{name: "node" + strconv.Itoa(k+1), library: libraries[i], address: ports[0], received: ports[1],
			copied: ports[2]})
	}
	for k := range n {
		c.members[k].addresses = addresses
	}
	for k := range n {
		if err := c.Bring(ctx, k); err != nil {
			_ = c.Stop()
			return nil, err
		}
	}
	return c, nil
}

func (c *Cluster) folder(k int) string { return filepath.Join(c.dir, strconv.Itoa(k+1)) }

// Bring starts a server of the cluster that does not run, and returns once it has taken in what it missed.
func (c *Cluster) Bring(ctx context.Context, k int) error {
	// The first begins the cluster for as long as no other was ever there.
	c.members[k].begins = k == 0 && !slices.ContainsFunc(c.servers, func(s *Server) bool { return s != nil })
	s, err := Start(ctx, Config{Dir: c.folder(k), member: &c.members[k]})
	if err != nil {
		return fmt.Errorf("start node %d of the cluster: %w", k+1, err)
	}
	c.set(k, s)
	return nil
}

// Kill ends a server of the cluster as a power cut would.
func (c *Cluster) Kill(k int) error {
	s := c.Server(k)
	if s == nil {
		return fmt.Errorf("node %d of the cluster does not run", k+1)
	}
	err := s.cmd.Process.Kill()
	<-s.done
	c.set(k, nil)
	return err
}

// Server returns a server of the cluster; nil where it does not run.
func (c *Cluster) Server(k int) *Server {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.servers[k]
}

func (c *Cluster) set(k int, s *Server) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.servers[k] = s
}

// DSNs returns the data source names of a database on every server, the first-th before the others.
func (c *Cluster) DSNs(database string, first int) []string {
	var out []string
	for i := range c.members {
		k := (first + i) % len(c.members)
		out = append(out, dsn(filepath.Join(c.folder(k), socketName), database))
	}
	return out
}

// Stop ends every server.
func (c *Cluster) Stop() error {
	var failed []error
	for k := range c.members {
		if s := c.Server(k); s != nil {
			failed = append(failed, s.Stop())
		}
	}
	return errors.Join(failed...)
}

// freeAddresses returns addresses on loopback that are free at this moment.
func freeAddresses(n int) ([]string, error) {
	var out []string
	for range n {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			return nil, fmt.Errorf("find a free port: %w", err)
		}
		defer func() { _ = l.Close() }()
		out = append(out, l.Addr().String())
	}
	return out, nil
}
