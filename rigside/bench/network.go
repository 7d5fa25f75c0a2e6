package bench

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"os"
	"strings"
	"time"

	"github.com/insomniacslk/dhcp/dhcpv4"
	"github.com/insomniacslk/dhcp/dhcpv4/nclient4"
	"github.com/vishvananda/netlink"
	"golang.org/x/sys/unix"
)

// resolver is where the program looks for name servers.
const resolver = "/etc/resolv.conf"

// How long a card is given to find a network that hands out addresses before the next one is asked, and the pause after all were.
const (
	leaseWithin = 8 * time.Second
	networkTurn = time.Second
)

// network gives the machine an address: the note's, or one that its network hands out, on the first card that has one. It returns with
// the first address, and renews it as long as the context lasts.
func (m *machine) network(ctx context.Context) error {
	if lo, err := netlink.LinkByName("lo"); err == nil {
		_ = netlink.LinkSetUp(lo)
	}
	for ctx.Err() == nil {
		cards, err := wired()
		if err != nil {
			return fmt.Errorf("look for network cards: %w", err)
		}
		problem := "no network card is seen; plug one in that this kernel knows"
		for _, card := range cards {
			name := card.Attrs().Name
			if !m.carries(ctx, card) {
				problem = "no cable is seen in " + name + "; plug one in"
				continue
			}
			if m.note.Address.IsValid() {
				if err := address(card, m.note.Address, m.note.Gateway, m.note.NameServers); err != nil {
					problem = fmt.Sprintf("%s does not take the stick's address %s: %v", name, m.note.Address, err)
					continue
				}
				m.screen.address(m.note.Address.Addr().String())
				return nil
			}
			lease, err := m.lease(ctx, card)
			if err != nil {
				problem = fmt.Sprintf("nothing on the network of %s hands out addresses; switch its router on, or write one into %s on the stick",
					name, NoteFile)
				m.log.Warn("no address", "card", name, "error", err)
				continue
			}
			go m.renew(ctx, card, lease)
			return nil
		}
		m.screen.say(problem)
		pause(ctx, networkTurn)
	}
	return ctx.Err()
}

// pause waits, or until the context ends.
func pause(ctx context.Context, d time.Duration) {
	t := time.NewTimer(d)
	defer t.Stop()
	select {
	case <-ctx.Done():
	case <-t.C:
	}
}

// wired lists the machine's network cards.
func wired() ([]netlink.Link, error) {
	all, err := netlink.LinkList()
	var out []netlink.Link
	for _, l := range all {
		if l.Attrs().Flags&net.FlagLoopback == 0 && len(l.Attrs().HardwareAddr) == 6 && l.Type() == "device" {
			out = append(out, l)
		}
	}
	return out, err
}

// carries switches a card on, and waits a while for its cable to be seen.
func (m *machine) carries(ctx context.Context, card netlink.Link) bool {
	if err := netlink.LinkSetUp(card); err != nil {
		m.log.Warn("a network card cannot be switched on", "card", card.Attrs().Name, "error", err)
		return false
	}
	for range 20 {
		now, err := netlink.LinkByIndex(card.Attrs().Index)
		if err == nil && now.Attrs().RawFlags&unix.IFF_RUNNING != 0 {
			return true
		}
		if pause(ctx, 200*time.Millisecond); ctx.Err() != nil {
			return false
		}
	}
	return false
}

// lease asks for an address, and takes it.
func (m *machine) lease(ctx context.Context, card netlink.Link) (*nclient4.Lease, error) {
	ctx, done := context.WithTimeout(ctx, leaseWithin)
	defer done()
	c, err := nclient4.New(card.Attrs().Name, nclient4.WithTimeout(leaseWithin/4), nclient4.WithRetry(3))
	if err != nil {
		return nil, err
	}
	defer func() { _ = c.Close() }()
	lease, err := c.Request(ctx, dhcpv4.WithOption(dhcpv4.OptHostName(hostName())))
	if err != nil {
		return nil, err
	}
	return lease, m.take(card, lease)
}

// take gives a card the address of a lease.
func (m *machine) take(card netlink.Link, lease *nclient4.Lease) error {
	ack := lease.ACK
	at, ok := netip.AddrFromSlice(ack.YourIPAddr.To4())
	if !ok {
		return errors.New("the network hands out no address")
	}
	ones, _ := ack.SubnetMask().Size()
	if ones == 0 {
		ones = 24
	}
	gateway := netip.Addr{}
	if r := ack.Router(); len(r) > 0 {
		gateway, _ = netip.AddrFromSlice(r[0].To4())
	}
	var names []netip.Addr
	for _, ip := range ack.DNS() {
		if a, ok := netip.AddrFromSlice(ip.To4()); ok {
			names = append(names, a)
		}
	}
	if err := address(card, netip.PrefixFrom(at, ones), gateway, names); err != nil {
		return err
	}
	m.screen.address(at.String())
	return nil
}

// leastLease is the shortest time for which an address is kept, whatever the network says.
const leastLease = time.Minute

// renew asks for an address again after half of its time, as long as the context lasts.
func (m *machine) renew(ctx context.Context, card netlink.Link, lease *nclient4.Lease) {
	for {
		if pause(ctx, max(leastLease, lease.ACK.IPAddressLeaseTime(time.Hour)/2)); ctx.Err() != nil {
			return
		}
		next, err := m.lease(ctx, card)
		if err != nil {
			m.log.Warn("the network does not renew the address", "error", err)
			continue
		}
		lease = next
	}
}

// address gives a card an address, a way out, and name servers.
func address(card netlink.Link, at netip.Prefix, gateway netip.Addr, names []netip.Addr) error {
	ip := &net.IPNet{IP: at.Addr().AsSlice(), Mask: net.CIDRMask(at.Bits(), at.Addr().BitLen())}
	if err := netlink.AddrReplace(card, &netlink.Addr{IPNet: ip}); err != nil {
		return fmt.Errorf("set the address %s: %w", at, err)
	}
	if gateway.IsValid() {
		if err := netlink.RouteReplace(&netlink.Route{LinkIndex: card.Attrs().Index, Gw: gateway.AsSlice()}); err != nil {
			return fmt.Errorf("set the gateway %s: %w", gateway, err)
		}
	}
	var b strings.Builder
	for _, n := range names {
		fmt.Fprintf(&b, "nameserver %s\n", n)
	}
	if b.Len() == 0 {
		return nil
	}
	return os.WriteFile(resolver, []byte(b.String()), 0o644)
}
