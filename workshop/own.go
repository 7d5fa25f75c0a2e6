package workshop

import (
	"context"
	"fmt"
	"strings"
	"unicode/utf8"

	"zerokeel/core/invalid"
	"zerokeel/store"
)

// Bounds of what a workshop says of itself.
const (
	mostName     = 80
	mostNote     = 500
	mostCurrency = 8
	mostPerKWh   = 1e6
)

// OwnOf makes what a workshop says of itself.
func OwnOf(name, note, currency string, perKWh float64, hours DayHours) *store.Own {
	return &store.Own{Name: name, Note: note, Currency: currency, PerKWh: perKWh, Hours: store.AsJSON(hours)}
}

// Own returns what the workshop says of itself.
func (w *Workshop) Own(ctx context.Context) (*store.Own, error) {
	if err := may(ctx, look, 0); err != nil {
		return nil, err
	}
	return w.store.Own(ctx)
}

// SetOwn says what the workshop is called, what a kWh costs it, and how it reckons a day.
func (w *Workshop) SetOwn(ctx context.Context, o *store.Own) error {
	if err := may(ctx, manage, 0); err != nil {
		return err
	}
	var f invalid.List
	for _, text := range []struct {
		field string
		value *string
		most  int
	}{{"name", &o.Name, mostName}, {"note", &o.Note, mostNote}, {"currency", &o.Currency, mostCurrency}} {
		*text.value = strings.TrimSpace(*text.value)
		if n := utf8.RuneCountInString(*text.value); n > text.most {
			f.Add(text.field, fmt.Sprintf("say it in %d letters", text.most), "it has %d", n)
		}
	}
	for field, value := range map[string]*string{"name": &o.Name, "currency": &o.Currency} {
		if *value != "" {
			f.Name(field, value)
		}
	}
	checkPrice(&f, "perKWh", o.PerKWh, mostPerKWh)
	f = append(f, o.Hours.V.Validate()...)
	if len(f) > 0 {
		return f
	}
	return w.store.SetOwn(ctx, o)
}

func checkPrice(f *invalid.List, field string, x, most float64) {
	if !(x >= 0 && x <= most) {
		f.Add(field, fmt.Sprintf("give 0 to %.0f", most), "%g is no price", x)
	}
}
