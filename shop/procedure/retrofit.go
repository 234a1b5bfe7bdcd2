package procedure

import (
	"context"
	"fmt"
	"slices"

	"gorm.io/gorm"

	"pandrel/core/bank/bms"
	"pandrel/core/base/numeral"
	"pandrel/core/module/sense"
	"pandrel/core/procedure/standing"
	"pandrel/shop/bank"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// Retrofit is a BMS of its own for a bank that stands: which fit, and where the leads of the chosen one go.
type Retrofit struct {
	Choices []bms.Choice
	Chosen  *bms.Choice // the one that was chosen, nil for none
	Boards  []BoardOf
	Asks    string // what must be known or done before there is more to say, "" for nothing
}

// BoardOf is a board of the chosen BMS with its sense leads, and the newest check of them.
type BoardOf struct {
	BMS   string
	Leads []standing.Lead
	Check *bank.SenseCheck
}

// expected is what each input must read against the first.
func (b BoardOf) expected() (out []float64) {
	for _, l := range b.Leads {
		out = append(out, l.ExpectedV)
	}
	return out
}

// RetrofitOf says which BMS a bank that stands could get, and of the chosen one where its leads go.
func (s *Room) RetrofitOf(ctx context.Context, v StandingView) (r Retrofit, err error) {
	db := s.Store.DB.WithContext(ctx)
	c := v.Cells
	switch {
	case v.Standing.Origin != store.Stands:
		return r, nil
	case v.Bank.Strings > 1:
		r.Asks = fmt.Sprintf("It has %s with breakers of their own: each needs a BMS and a survey of its own. "+
			"Write each of them down as a bank.", numeral.Count(v.Bank.Strings, "string"))
	case !c.Known():
		r.Asks = "Survey it first: how many groups it has is not known."
	case c.Chemistry == "":
		r.Asks = "Its chemistry is not declared: no BMS can be set for it."
	}
	if r.Asks != "" {
		return r, nil
	}
	list, err := s.Bank.Devices(ctx)
	if err != nil {
		return r, err
	}
	need := retrofitNeed(c)
	if r.Choices, err = bms.Choose(need, list); err != nil {
		return r, kernel.Bad("", "%v", err)
	}
	dev, ok, err := s.Bank.DeviceOf(ctx, v.Standing)
	if err != nil || !ok {
		return r, err
	}
	chosen, err := bms.Choose(need, []bms.Device{dev})
	if err != nil || len(chosen) == 0 {
		return r, err
	}
	r.Chosen = &chosen[0]
	switch {
	case chosen[0].Refused:
		r.Asks = "It may not be used with this bank as it is known now: choose another."
	case len(v.Surveys) == 0:
		r.Asks = "Survey it: what each lead must read follows from its groups."
	}
	if r.Asks != "" {
		return r, nil
	}
	return r, r.leads(db, v)
}

// leads fills in where the leads of the chosen BMS go.
func (r *Retrofit) leads(db *gorm.DB, v StandingView) error {
	name := r.Chosen.Device.Name
	leads, err := standing.Leads(r.Chosen.Boards, v.Surveys[0].Volts)
	if err != nil {
		r.Asks = "Its last survey has other groups than it: survey it again."
		return nil //nolint:nilerr // it is said
	}
	checks, err := bank.SenseChecksIn(db, v.Standing)
	if err != nil {
		return err
	}
	for i, l := range leads {
		b := BoardOf{BMS: name, Leads: l}
		if len(leads) > 1 {
			b.BMS = fmt.Sprintf("%s, board %d", name, i+1)
		}
		if k, ok := checks[b.BMS]; ok {
			b.Check = &k
		}
		r.Boards = append(r.Boards, b)
	}
	return nil
}

// retrofitNeed is what a BMS of a bank that stands must do, as far as that is known: whether it can freeze there nobody
// was asked, so that it can.
func retrofitNeed(c standing.Cells) bms.Need {
	return bms.Need{Groups: c.Series, Chemistry: c.Chemistry, CapacityAh: c.Ah, FreezesHere: true, FrostOpen: true}
}

// FitBMS writes down which BMS a bank that stands is to get. A refused one cannot be chosen. What was measured on the
// leads of another does not hold for it.
func (s *Room) FitBMS(ctx context.Context, id int64, version int, name, token string) error {
	return s.Action(ctx, token, "bms", func(tx *gorm.DB) error {
		v, err := LoadStanding(tx, id)
		if err != nil {
			return err
		}
		b := v.Standing
		switch {
		case b.Origin != store.Stands:
			return kernel.Bad("", "%s was built here: its BMS is chosen with its design", b.Name)
		case b.Version != version:
			return &kernel.Conflict{What: "Bank " + b.Name, Version: b.Version, Saved: map[string]string{"bms": b.BMS}}
		}
		r, err := s.RetrofitOf(ctx, v)
		if err != nil {
			return err
		}
		k := slices.IndexFunc(r.Choices, func(c bms.Choice) bool { return c.Device.Name == name })
		switch {
		case len(r.Choices) == 0:
			return kernel.Bad("", "%s", r.Asks)
		case k < 0:
			return kernel.Bad("bms", "there is no BMS %q", name)
		case r.Choices[k].Refused:
			return kernel.Stopped(r.Choices[k].Findings)
		}
		if err := tx.Model(&store.Bank{}).Where("id = ?", id).Updates(map[string]any{"bms": name,
			"device": store.JSONOf(r.Choices[k].Device), "design_version": b.DesignVersion + 1,
			"version": b.Version + 1}).Error; err != nil {
			return err
		}
		return s.Log(tx, "bms", kernel.About{Bank: id}, "BMS chosen for %s: %s", b.Name, name)
	})
}

// RecordRetrofit keeps the readings of the sense leads of a BMS that a bank that stands gets. Leads are touched on a
// bank that is out of work alone.
func (s *Room) RecordRetrofit(ctx context.Context, in bank.SenseInput) (v sense.Verdict, err error) {
	err = s.Action(ctx, in.Token, "sense", func(tx *gorm.DB) error {
		of, err := LoadStanding(tx, in.BankID)
		if err != nil {
			return err
		}
		if open := of.inWork(); open != "" {
			return kernel.BlockedBy(codeInWork, of.Standing.Name,
				fmt.Sprintf("%s is in work, as far as is recorded: '%s' "+
					"is not done.", of.Standing.Name, open),
				"Take it out of work by its steps, then measure the leads.")
		}
		expected, err := s.expected(ctx, of, in.BMS)
		if err != nil {
			return err
		}
		if v, err = in.Judged(expected); err != nil {
			return err
		}
		return s.Bank.KeepSense(tx, of.Standing, in, v)
	})
	return v, err
}

func (s *Room) expected(ctx context.Context, of StandingView, bms string) ([]float64, error) {
	r, err := s.RetrofitOf(ctx, of)
	if err != nil {
		return nil, err
	}
	k := slices.IndexFunc(r.Boards, func(b BoardOf) bool { return b.BMS == bms })
	if k < 0 {
		return nil, kernel.Bad("", "choose a BMS first: there is no sense table for %q", bms)
	}
	return r.Boards[k].expected(), nil
}

// Expected is what each lead of a BMS must read against the main negative, of a bank of either origin.
func (s *Room) Expected(ctx context.Context, bankID int64, bms string) ([]float64, error) {
	b, err := s.ByID(ctx, bankID)
	if err != nil {
		return nil, err
	}
	if b.Origin == store.Built {
		return s.Bank.Expected(ctx, bankID, bms)
	}
	of, err := LoadStanding(s.Store.DB.WithContext(ctx), bankID)
	if err != nil {
		return nil, err
	}
	return s.expected(ctx, of, bms)
}

// inWork is what is not done for a bank to be out of work, "" where it is.
func (v StandingView) inWork() string {
	for _, st := range v.Down {
		if st.Gate && !st.Done {
			return st.Title
		}
	}
	for _, st := range v.Up { // its leads are measured on the way back, before their plug goes in
		if st.Done && (st.Key == standing.SenseInKey || st.Key == standing.MainInKey) {
			return "out of work again"
		}
	}
	return ""
}
