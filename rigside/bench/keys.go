package bench

import (
	"context"
	"sync"
	"time"

	"zerokeel/link"
)

// Keys that are not part of a code. An order to the machine is given twice, so that no slip ends a leg.
const (
	keyOff     = 'P' - '@' // with Ctrl
	keyRestart = 'R' - '@'
	keyClear   = 'U' - '@'
	keyEnter   = '\r'
	keyErase   = 0x7f
	keyBack    = '\b'
)

// sureWithin is the time in which an order to the machine is given a second time.
const sureWithin = 5 * time.Second

// mostTyped is the longest code that can be typed.
const mostTyped = 400

// keys takes what is typed at any console.
func (m *machine) keys(ctx context.Context) {
	typed := make(chan byte)
	var readers sync.WaitGroup
	for _, c := range m.screen.consoles {
		readers.Go(func() {
			one := make([]byte, 1)
			for {
				n, err := c.file.Read(one)
				if n == 0 || err != nil {
					return
				}
				select {
				case typed <- one[0]:
				case <-ctx.Done():
					return
				}
			}
		})
	}
	for {
		select {
		case <-ctx.Done():
			return
		case key := <-typed:
			m.key(ctx, key, time.Now())
		}
	}
}

// key does what a key asks for.
func (m *machine) key(ctx context.Context, key byte, now time.Time) {
	switch key {
	case keyOff, keyRestart:
		sure := false
		m.screen.change(func(v *view) {
			sure = v.order == key && now.Before(v.orderUntil)
			v.order, v.orderUntil = key, now.Add(sureWithin)
		})
		if sure && key == keyOff {
			m.end(link.PowerOff)
		} else if sure {
			m.end(link.Restart)
		} else {
			time.AfterFunc(sureWithin, func() { m.screen.change(func(*view) {}) })
		}
		return
	case keyEnter, '\n':
		code := ""
		m.screen.change(func(v *view) { code = v.typed })
		if code == "" {
			return
		}
		select {
		case m.screen.typed <- code:
		case <-ctx.Done():
		default: // nothing is asked for
		}
		return
	}
	m.screen.change(func(v *view) {
		switch {
		case !v.asks:
		case key == keyClear:
			v.typed = ""
		case (key == keyErase || key == keyBack) && v.typed != "":
			v.typed = v.typed[:len(v.typed)-1]
		case key > ' ' && key < keyErase && len(v.typed) < mostTyped:
			v.typed += string(key)
		}
	})
}
