package server_test

import (
	"io"
	"net"
	"net/http"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"zerokeel/live"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
)

// hold opens connections that send a text and then fall silent, and returns a wait until the server has ended all of them. They read
// an answer's beginning, and, if patient, the rest.
func hold(b *testing.B, bench *servertest.Bench, n int, text string, patient bool) (gone func() time.Duration) {
	b.Helper()
	begun := time.Now()
	var all sync.WaitGroup
	for range n {
		conn, err := net.Dial("tcp", strings.TrimPrefix(bench.Address, "http://"))
		if err != nil {
			b.Fatal(err)
		}
		b.Cleanup(func() { _ = conn.Close() })
		_ = conn.(*net.TCPConn).SetReadBuffer(4096)
		if _, err := io.WriteString(conn, strings.ReplaceAll(text, "\n", "\r\n")); err != nil {
			b.Fatal(err)
		}
		if patient {
			all.Go(func() { _, _ = io.Copy(io.Discard, conn) })
			continue
		}
		if _, err := conn.Read(make([]byte, 1)); err != nil {
			b.Fatal(err)
		}
	}
	ended := make(chan time.Duration, 1)
	go func() {
		all.Wait()
		ended <- time.Since(begun)
	}()
	return func() time.Duration { return <-ended }
}

// BenchmarkSilent lets 300 senders of requests begin a body, 500 readers of what changes, and 300 links open a connection and fall
// silent, and prints how long others' requests take meanwhile against none of them, and after how many seconds all are gone. What
// changes is told to the readers until the last of them is.
func BenchmarkSilent(b *testing.B) {
	for b.Loop() {
		bench := servertest.Start(b)
		var rig api.CreatedRig
		bench.Call("POST", "/api/rigs", api.CreateRigRequest{Name: "Petrel"}, 201, &rig)
		ask := func() time.Duration {
			var took []time.Duration
			for range 500 {
				begun := time.Now()
				response, err := http.Get(bench.Address + "/api/rigs")
				if err != nil {
					b.Fatal(err)
				}
				_, _ = io.Copy(io.Discard, response.Body)
				_ = response.Body.Close()
				took = append(took, time.Since(begun))
			}
			slices.Sort(took)
			return took[len(took)/2]
		}
		ask() // the first ones fill caches
		alone := ask()
		bodies := hold(b, bench, 300, "POST /api/rigs HTTP/1.1\nHost: localhost\nContent-Type: application/json\nContent-Length: 900\n\n{", true)
		links := hold(b, bench, 300, "GET /link HTTP/1.1\nHost: localhost\nAuthorization: Bearer "+rig.Token+"\nConnection: Upgrade\n"+
			"Upgrade: websocket\nSec-WebSocket-Version: 13\nSec-WebSocket-Key: c2l4dGVlbiBieXRlcyEhIQ==\n\n", true)
		hold(b, bench, 500, "GET /api/events HTTP/1.1\nHost: localhost\n\n", false)
		meanwhile := ask()
		b.ReportMetric(float64(meanwhile)/float64(alone), "median_of_alone")
		b.ReportMetric(bodies().Seconds(), "s_bodies_gone")
		b.ReportMetric(links().Seconds(), "s_links_gone")
		begun := time.Now()
		word := strings.Repeat("much has changed; ", 10_000)
		for bench.Shop.Bus().Listeners() > 1 { // the runner's own
			bench.Shop.Bus().Publish(live.Message{Topic: "rig", Data: word})
			ask()
		}
		b.ReportMetric(time.Since(begun).Seconds(), "s_readers_gone")
	}
}
