package server_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/jmoiron/sqlx"

	"zerokeel/core/channel"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/store"
	"zerokeel/store/storetest"
)

// TestOldSamplesAreDropped: samples that are older than they are kept go, with a word of it, and the chart stays as it was; those of a
// trial that is kept, and of one that is not old, stay.
func TestOldSamplesAreDropped(t *testing.T) {
	s, dsns := storetest.OpenDSN(t)
	rig := servertest.On(t, s).AddFake("Petrel", []channel.Channel{channel.Of(channel.Temperature, 0.125)})
	var trials []api.Trial
	for range 3 {
		trials = append(trials, rig.Run(300, rig.Heat))
	}
	db := sqlx.MustConnect("mysql", dsns[0])
	defer func() { _ = db.Close() }()
	chart := func(trial int64, from, to int) (out api.Telemetry) {
		rig.Call("GET", fmt.Sprintf("/api/trials/%d/telemetry?buckets=10&fromS=%d&toS=%d", trial, from, to), nil, 200, &out)
		return out
	}
	before := chart(trials[0].Id, 0, 300)
	long := "?keepMonths=0"
	var records api.Records
	rig.Call("GET", "/api/records"+long, nil, 200, &records)
	if records.KeepMonths != 0 || records.Bytes == 0 || records.PerDay != nil {
		t.Errorf("records of a moment: %+v", records)
	}
	rig.Call("PUT", fmt.Sprintf("/api/trials/%d/keep", trials[1].Id), api.KeepTrialRequest{Keep: true}, 204, nil)
	// The first one was stored two years ago, in a part of that month.
	now := store.MonthOf(time.Now())
	old := now - 24
	rig.Until("this month has a part", func() bool {
		months, err := s.StoredMonths(t.Context())
		return err == nil && slices.ContainsFunc(months, func(m store.StoredMonth) bool { return m.Name == fmt.Sprint("m", now) })
	})
	db.MustExec(fmt.Sprintf(`ALTER TABLE telemetry REORGANIZE PARTITION m%[1]d INTO
		(PARTITION m%[2]d VALUES LESS THAN (%[2]d + 1), PARTITION m%[1]d VALUES LESS THAN (%[1]d + 1))`, now, old))
	db.MustExec(`UPDATE telemetry t JOIN legs l ON l.id = t.leg_id SET t.month = ? WHERE l.trial_id = ?`, old, trials[0].Id)
	rig.Call("PUT", "/api/records", api.KeepSamplesRequest{KeepMonths: 12}, 200, &records)
	if records.KeepMonths != 12 {
		t.Errorf("kept for %d months", records.KeepMonths)
	}
	for i, trial := range trials {
		var got api.Trial
		rig.Call("GET", fmt.Sprintf("/api/trials/%d", trial.Id), nil, 200, &got)
		if gone, kept := i == 0, i == 1; (got.DroppedAt != nil) != gone || got.Kept != kept {
			t.Errorf("trial %d: dropped %v, kept %t", i, got.DroppedAt, got.Kept)
		}
		status, text := rig.Raw("GET", fmt.Sprintf("/api/trials/%d/telemetry.csv", trial.Id), nil)
		if i == 0 && (status != 409 || !strings.Contains(string(text), "dropped for their age")) || i > 0 && status != 200 {
			t.Errorf("trial %d as CSV: %d, %.200s", i, status, text)
		}
	}
	after := chart(trials[0].Id, 0, 300)
	if a, _ := json.Marshal(before); len(after.Channels) == 0 {
		t.Error("the chart is empty")
	} else if b, _ := json.Marshal(after); string(a) != string(b) {
		t.Errorf("the chart was\n%s, and is\n%s", a, b)
	}
	if near := chart(trials[0].Id, 100, 190); near.BucketS < 30 || len(near.Channels) == 0 {
		t.Errorf("from near: %g s, %d channels", near.BucketS, len(near.Channels))
	}
	rig.Call("PUT", fmt.Sprintf("/api/trials/%d/keep", trials[0].Id), api.KeepTrialRequest{Keep: true}, 409, nil)
	if samples, err := s.Telemetry(t.Context(), trials[1].Legs[0].Id, store.Span{}); err != nil || len(samples[channel.Temperature]) != 300 {
		t.Errorf("of the trial that is kept, %d samples are there, %v", len(samples[channel.Temperature]), err)
	}
}
