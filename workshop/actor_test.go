package workshop_test

import (
	"context"
	"errors"
	"log/slog"
	"reflect"
	"testing"

	"zerokeel/keys"
	"zerokeel/link"
	"zerokeel/store/storetest"
	"zerokeel/workshop"
)

// open are the functions that may be called before anybody is known.
var open = map[string]bool{"Run": true, "RigByToken": true, "Ready": true, "Enter": true, "Entered": true, "NewCode": true,
	"HasOwner": true, "AskToLink": true, "MakeFirstOwner": true, "SetOwner": true, "Begin": true, "End": true}

// TestNobodyMayDoAnything calls every function of the workshop with a context that says not who acts, and as an agent of
// another rig: each refuses before it looks at anything.
func TestNobodyMayDoAnything(t *testing.T) {
	w := reflect.ValueOf(workshop.New(storetest.Open(t), slog.New(slog.DiscardHandler), keys.Passing()))
	ctx := reflect.TypeFor[context.Context]()
	tried := 0
	for i := range w.NumMethod() {
		name, method := w.Type().Method(i).Name, w.Method(i)
		if open[name] || method.Type().NumIn() == 0 || method.Type().In(0) != ctx {
			continue
		}
		tried++
		for _, row := range []struct {
			as   context.Context
			want error
		}{{context.Background(), workshop.ErrNobody}, {workshop.As(context.Background(), workshop.Actor{Kind: workshop.Agent, Rig: 77}),
			workshop.ErrNotAllowed}} {
			args := []reflect.Value{reflect.ValueOf(row.as)}
			for k := 1; k < method.Type().NumIn(); k++ {
				in := method.Type().In(k)
				if in.Kind() == reflect.Pointer {
					args = append(args, reflect.New(in.Elem()))
				} else {
					args = append(args, reflect.Zero(in))
				}
			}
			out := method.Call(args)
			err, _ := out[len(out)-1].Interface().(error)
			if !errors.Is(err, row.want) {
				t.Errorf("%s: %v, want %v", name, err, row.want)
			}
		}
	}
	if tried < 50 {
		t.Errorf("only %d functions were tried", tried)
	}
}

// TestAgentsSpeakForThemselves: an agent tells of its own rig, and does nothing else; people and drivers do not speak for rigs.
func TestAgentsSpeakForThemselves(t *testing.T) {
	w := workshop.New(storetest.Open(t), slog.New(slog.DiscardHandler), keys.Passing())
	r, _, err := w.MakeRig(workshop.As(t.Context(), workshop.Owner), workshop.NewRig{Name: "Desk"})
	if err != nil {
		t.Fatal(err)
	}
	hello := func(a workshop.Actor) error {
		_, err := w.Greet(workshop.As(t.Context(), a), r.ID, &link.Hello{Stream: "s", BootID: "b", ClockRate: 1})
		return err
	}
	if err := hello(workshop.Actor{Kind: workshop.Agent, Rig: r.ID}); err != nil {
		t.Errorf("its own rig: %v", err)
	}
	for _, a := range []workshop.Actor{workshop.Owner, {Kind: workshop.Runner}, {Kind: workshop.Pilot},
		{Kind: workshop.Agent, Rig: r.ID + 1}, {Kind: workshop.Agent}} {
		if err := hello(a); !errors.Is(err, workshop.ErrNotAllowed) {
			t.Errorf("%+v speaks for the rig: %v", a, err)
		}
	}
	if _, err := w.Rigs(workshop.As(t.Context(), workshop.Actor{Kind: workshop.Agent, Rig: r.ID})); !errors.Is(err, workshop.ErrNotAllowed) {
		t.Errorf("an agent looks at the fleet: %v", err)
	}
}
