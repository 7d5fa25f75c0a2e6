package e2e

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"math"
	"math/rand/v2"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/go-rod/rod/lib/input"

	"zerokeel/core/channel"
	"zerokeel/link"
	"zerokeel/server/api"
)

// send makes a request of the demo's server and decodes the answer.
func send(t testing.TB, method, path string, in, out any) {
	t.Helper()
	text, err := json.Marshal(in)
	if err != nil {
		t.Fatal(err)
	}
	request, err := http.NewRequest(method, address+path, bytes.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	request.Header.Set("Content-Type", "application/json")
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = response.Body.Close() }()
	answer, _ := io.ReadAll(response.Body)
	if response.StatusCode >= 300 {
		t.Fatalf("%s %s: %d: %s", method, path, response.StatusCode, answer)
	}
	if out == nil {
		return
	}
	if err := json.Unmarshal(answer, out); err != nil {
		t.Fatal(err)
	}
}

// TestIncidentLowersATrim: a fault of daily use, entered on the log's sheet, takes the trim its standing, and a watch
// is set beside it.
func TestIncidentLowersATrim(t *testing.T) {
	const dunlin = 5
	p := open(t, fmt.Sprintf("/rig/%d/log", dunlin))
	p.see("[data-log] li", "Trial")
	p.see("nav[aria-label=Fleet] a[aria-current=true]", "tried")
	p.fill("textarea[aria-label='In what']", "froze while a document was opened")
	p.click("button", "Hold against")
	p.see("[data-kind=incident]", "froze while a document was opened")
	p.see("nav[aria-label=Fleet] a[aria-current=true]", "fitted")
	p.click("button", "Add a watch")
	p.fill("form input[type=number]", "5")
	p.fill("form label:nth-of-type(2) input:not([type=number])", "warmer than the room")
	p.click("form button", "Watch")
	p.see("[data-watches] li", "warmer than the room")
	p.see("nav[aria-label=Fleet] [data-raised]", "warmer than the room")
	p.see("[data-kind=watch]", "warmer than the room")
}

// TestLadderIsChanged: a delivered ladder is shortened, refused while it makes no sense, and put back.
func TestLadderIsChanged(t *testing.T) {
	p := open(t, "/rig/1/ladders")
	p.see("[data-steps]", "")
	p.fill("input[aria-label='Time of step 1']", "0:02")
	if err := p.Keyboard.Type(input.Tab); err != nil {
		t.Fatal(err)
	}
	p.click("button", "^Save$")
	p.see("[role=alert]", "steps\\[0\\].seconds")
	p.fill("input[aria-label='Time of step 1']", "5 min")
	p.fill("input[aria-label='Cores of step 1']", "0-2 5")
	if err := p.Keyboard.Type(input.Tab); err != nil {
		t.Fatal(err)
	}
	p.click("button", "^Save$")
	p.see("aside li", "changed")
	var ladders []api.Ladder
	send(t, "GET", "/api/ladders", nil, &ladders)
	if cores := ladders[1].Template.Steps[0].Cores; !slices.Equal(cores, []int{0, 1, 2, 5}) {
		t.Errorf("cores 0-2 5 were kept as %v", cores)
	}
	p.click("button", "Put back as delivered")
	p.see("aside button[aria-current=true]", "2.9 h")
}

// TestOtherFiguresAreJoined: a noise meter's log, in local time and with a broken line, becomes a strip of the trial, and
// another program's results stand among the scores.
func TestOtherFiguresAreJoined(t *testing.T) {
	var trial api.Trial
	send(t, "GET", "/api/trials/5", nil, &trial)
	log := "Time;Noise [dB];Outlet [W]\n"
	for s := range 600 {
		at := trial.StartedAt.Add(time.Hour + time.Duration(s)*time.Second)
		log += fmt.Sprintf("%s;%d,5;%d\n", at.Format("02.01.2006 15:04:05"), 30+s%9, 200+s%7)
		if s == 100 {
			log += "Restart of the meter\n"
		}
	}
	name := filepath.Join(t.TempDir(), "meter.csv")
	if err := os.WriteFile(name, []byte(log), 0o600); err != nil {
		t.Fatal(err)
	}
	p := open(t, "/rig/1/trial/5")
	if err := p.see("input[aria-label='Log to join']", "").SetFiles([]string{name}); err != nil {
		t.Fatal(err)
	}
	p.see("[data-mapping] td", "Noise")
	p.choose("Outlet counts as", "nothing: leave it out")
	p.click("[role=dialog] button", "^Join it$")
	p.see("[data-broken] li", "line 103")
	p.click("[role=dialog] button", "^Good$")
	p.see("[data-logs] li", "meter.csv")
	p.see("[data-strips]", "Log, dB")
	if e, err := p.see("[data-strips]", "").Text(); err != nil || strings.Contains(e, "Log, power") {
		t.Errorf("a column that was left out is drawn: %v", err)
	}
	p.click("[data-logs] button", "")
	p.see("[role=alertdialog]", "Gone with it: .* readings")
	p.click("[role=alertdialog] button", "^Take it off$")
	until(t, "the log is taken off", func() bool { return !p.MustHas("[data-logs] li") })

	p = open(t, "/rig/1/scores")
	p.see("[data-comparison]", "")
	p.click("button", "^Enter results$")
	p.fill("#other-name", "Own game")
	p.fill("#other-unit", "1/s")
	p.fill("#other-runs", "141 142,5 x")
	p.see("form p", "Each run is a number")
	p.fill("#other-runs", "141 142,5")
	p.click("form button", "^Add$")
	p.see("[data-other-scores] li", "142.50")
	p.see("section h2", "Own game")
}

const day = 86400

// dayLong records a day of idle figures of so many channels on a rig of its own.
func dayLong(t testing.TB, channels int) (rig int64, trial api.Trial) {
	t.Helper()
	var created api.CreatedRig
	send(t, "POST", "/api/rigs", api.CreateRigRequest{Name: fmt.Sprintf("Long %d", channels)}, &created)
	hello := link.Hello{Protocol: link.Version, Agent: "test", Stream: fmt.Sprintf("long-%d", channels), BootID: "long-1",
		Now: time.Now().UnixMilli(), ClockRate: 1, Simulated: true,
		Facts: link.Facts{Host: "long", System: "test", Kernel: "1", Processor: "P", Cores: 96, Threads: 96}}
	add := func(key, quantity, unit string, core int, quantum float64) {
		hello.Channels = append(hello.Channels, channel.Channel{Key: key, Quantity: quantity, Label: key, Unit: unit, Quantum: quantum,
			Core: core})
	}
	add("temperature.package", "temperature", "°C", -1, 0.125)
	add("power.package", "power", "W", -1, 0.125)
	for i := range (channels - 2) / 2 {
		add(fmt.Sprintf("temperature.core.%d", i), "temperature", "°C", i, 0.125)
		add(fmt.Sprintf("clock.effective.core.%d", i), "clock", "MHz", i, 25)
	}
	orders := make(chan link.Order, 1)
	client := link.NewClient(link.Server{Address: address, Token: created.Token}, func() link.Hello { return hello }, func(o link.Order) {
		select {
		case orders <- o:
		default:
		}
	}, slog.New(slog.DiscardHandler))
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	go func() { _ = client.Run(ctx) }()
	until(t, "the rig links", func() bool {
		var r api.Rig
		send(t, "GET", fmt.Sprintf("/api/rigs/%d", created.Rig.Id), nil, &r)
		return r.Linked
	})
	kind, seconds := api.LegRequestLoad("idle"), float64(day)
	send(t, "POST", fmt.Sprintf("/api/rigs/%d/trials", created.Rig.Id),
		api.StartTrialRequest{Legs: []api.LegRequest{{Load: &kind, Seconds: &seconds}}}, &trial)
	o := <-orders
	start := hello.Now
	client.Send(link.Frame{Started: &link.Started{Order: o.ID, At: start}})
	r := rand.New(rand.NewPCG(1, 1))
	at := make([]float64, channels)
	for minute := range day / 60 {
		s := &link.Samples{Order: o.ID, Values: make([][]*float64, channels)}
		for c, ch := range hello.Channels {
			s.Channels = append(s.Channels, ch.Key)
			for range 60 {
				at[c] += math.Round(r.NormFloat64())
				x := (400 + math.Mod(at[c], 100)) * ch.Quantum
				s.Values[c] = append(s.Values[c], &x)
			}
		}
		for i := range 60 {
			s.At = append(s.At, start+int64(minute*60+i)*1000)
		}
		client.Send(link.Frame{Samples: s})
		until(t, "the server keeps up", func() bool { return client.Pending() < 50 })
	}
	client.Send(link.Frame{Finished: &link.Finished{Order: o.ID, How: link.Done, RanS: day}})
	until(t, "the trial ends", func() bool {
		send(t, "GET", fmt.Sprintf("/api/trials/%d", trial.Id), nil, &trial)
		return trial.Ended
	})
	if trial.Verdict != "held" {
		t.Fatalf("%s: %s", trial.Verdict, trial.Why)
	}
	return created.Rig.Id, trial
}

// TestDayLongTrialIsReadToTheSecond looks closer and closer at a trial of a day, down to seconds.
func TestDayLongTrialIsReadToTheSecond(t *testing.T) {
	rig, trial := dayLong(t, 40)
	p := open(t, fmt.Sprintf("/rig/%d/trial/%d", rig, trial.Id))
	p.see(".uplot canvas", "")
	width := func() float64 {
		text, err := p.see("[data-view]", "").Attribute("data-view")
		if err != nil || text == nil {
			t.Fatal(err)
		}
		from, to, _ := strings.Cut(*text, "-")
		a, _ := strconv.ParseFloat(from, 64)
		b, _ := strconv.ParseFloat(to, 64)
		return b - a
	}
	if w := width(); w < day || w > day+2 {
		t.Fatalf("the whole trial shows %g s", w)
	}
	for width() > 10 {
		before := width()
		if err := p.Keyboard.Type(input.Equal); err != nil {
			t.Fatal(err)
		}
		until(t, "the view narrows", func() bool { return width() < before })
	}
	var seen api.Telemetry
	send(t, "GET", fmt.Sprintf("/api/trials/%d/telemetry?fromS=43200&toS=43210&buckets=10&keys=power.package", trial.Id), nil, &seen)
	if len(seen.Channels) != 1 || len(seen.Channels[0].T) != 10 || (*seen.Channels[0].Min)[3] != (*seen.Channels[0].Max)[3] {
		t.Errorf("ten seconds of the day: %+v", seen.Channels)
	}
	p.click("button", "^all$")
	until(t, "the whole day is back", func() bool { return width() > day-2 })
}

// BenchmarkFirstPaint opens the sheet of a trial of a day and 200 channels in a browser that runs already, against the same
// for a trial of ten seconds.
func BenchmarkFirstPaint(b *testing.B) {
	rig, trial := dayLong(b, 200)
	p := open(b, "/rig/1/log")
	paint := func(path string) float64 {
		started := time.Now()
		if err := p.Navigate(address + path); err != nil {
			b.Fatal(err)
		}
		p.see(".uplot canvas", "")
		return time.Since(started).Seconds()
	}
	var long, short []float64
	for b.Loop() {
		short = append(short, paint("/rig/2/trial"))
		long = append(long, paint(fmt.Sprintf("/rig/%d/trial/%d", rig, trial.Id)))
	}
	slices.Sort(long)
	slices.Sort(short)
	b.ReportMetric(long[len(long)/2], "s-day")
	b.ReportMetric(short[len(short)/2], "s-short")
}
