package types

import (
	"context"
	"strconv"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
	"pandrel/core/base/station"
	"pandrel/core/module/declare"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// DeclareInput says how a type is laid out, without mapping. Total and Middle are readings that confirm it, nil where
// they were not taken.
type DeclareInput struct {
	TypeID        int64
	Version       int
	Series        int
	Posts, Pins   string
	Total, Middle *float64
	Token         string
}

// DeclareLayout keeps a layout that somebody sees and says. A reading that the layout makes impossible stops it.
func (s *Room) DeclareLayout(ctx context.Context, in DeclareInput) (fs []finding.Finding, err error) {
	err = s.Action(ctx, in.Token, "layout", func(tx *gorm.DB) error {
		t, err := kernel.TypeByID(tx, in.TypeID)
		if err != nil {
			return err
		}
		if t.Version != in.Version {
			return &kernel.Conflict{What: "Module type " + t.Name, Version: t.Version, Saved: map[string]string{}}
		}
		d := declare.Declared{Series: in.Series, Chemistry: t.Chemistry, Posts: points(in.Posts), Pins: points(in.Pins)}
		fs, err = s.declare(tx, &t, d, in.Total, in.Middle)
		return err
	})
	return fs, err
}

func points(s string) []string { return strings.Fields(strings.ReplaceAll(s, ",", " ")) }

// declare keeps a declared layout of a type inside a transaction, with the names of its posts and pins.
func (s *Room) declare(tx *gorm.DB, t *store.ModuleType, d declare.Declared, total, middle *float64) (
	[]finding.Finding, error) {
	d = d.Named(2)
	m, err := declare.Layout(d)
	if err != nil {
		return nil, kernel.Bad("series", "%v", err)
	}
	if err := asSurveyed(tx, t.ID, d.Series); err != nil {
		return nil, err
	}
	fs := declare.Confirm(m, total, middle)
	if finding.Worst(fs) >= finding.Stop {
		return fs, kernel.Stopped(finding.Standing(fs))
	}
	m.Findings = append(m.Findings, fs...)
	row := store.Layout{TypeID: t.ID, Map: store.JSONOf(m), Declared: d.Shape(), RulesVersion: kernel.RulesVersion,
		AcceptedBy: kernel.Acts(tx), AcceptedAt: s.Now()}
	if err := tx.Create(&row).Error; err != nil {
		return nil, err
	}
	t.LayoutID, t.Posts, t.Pins = &row.ID, strings.Join(d.PostNames(), " "), strings.Join(d.PinNames(), " ")
	t.RatedAh = record.Rated(*t, d.Series)
	set := map[string]any{"layout_id": row.ID, "rated_ah": t.RatedAh, "posts": t.Posts, "pins": t.Pins,
		"version": gorm.Expr("version + 1")}
	if err := tx.Model(&store.ModuleType{}).Where("id = ?", t.ID).Updates(set).Error; err != nil {
		return nil, err
	}
	if err := tx.Model(&store.Module{}).Where("type_id = ? AND station = ? AND quarantined = 0", t.ID,
		station.Map).Updates(map[string]any{"station": station.Survey, "station_since": s.Now()}).Error; err != nil {
		return nil, err
	}
	said := "Layout of " + t.Name + " declared: " + row.Declared
	for _, f := range fs { // what was read to confirm it stays in sight
		said += ". " + strings.TrimSuffix(f.Text, ".")
	}
	return fs, s.Log(tx, "layout", kernel.About{Typ: t.ID}, "%s", said)
}

// asSurveyed refuses another count of groups than modules of the type were surveyed with: their readings would no
// longer be of its groups.
func asSurveyed(tx *gorm.DB, typeID int64, series int) error {
	var other struct {
		Number string
		Groups int
	}
	err := tx.Raw("SELECT m.number, count(*) AS groups FROM counting_surveys s JOIN modules m ON m.id = s.module_id "+
		"JOIN survey_readings r ON r.survey_id = s.id WHERE m.type_id = ? AND m.layout_id IS NULL GROUP BY s.id "+
		"HAVING sum(r.span) <> ? LIMIT 1", typeID, series).Scan(&other).Error
	if err == nil && other.Number != "" {
		err = kernel.Bad("series", "%s was surveyed with %s: expected that count, or a layout of that "+
			"module alone", other.Number, numeral.Count(other.Groups, "group"))
	}
	return err
}

// NewInput is a type as little as it can be: what it is called, of which chemistry, how it is laid out.
type NewInput struct {
	Name          string
	Chemistry     string
	RatedAh       float64
	RatedWh       float64 // where its label says that instead
	Series        int
	Posts         int    // 2 at the ends, 3 with a middle one, one at every joint; 0 for two
	Pins          int    // points of a tap connector in order, 0 for none
	Names         string // of the posts, "" for the usual ones
	Total, Middle *float64
	Closed        bool // a pack with a BMS of its own inside
}

// Make makes a type with a declared layout inside a transaction.
func (s *Room) Make(tx *gorm.DB, in NewInput) (store.ModuleType, error) {
	d := declare.Declared{Series: in.Series, Posts: points(in.Names)}.Named(in.Posts)
	for i := range in.Pins {
		d.Pins = append(d.Pins, "X"+strconv.Itoa(i+1))
	}
	ti := TypeInput{Name: in.Name, Chemistry: in.Chemistry, RatedAh: in.RatedAh, RatedWh: in.RatedWh,
		PlateSeries: in.Series, Closed: in.Closed,
		Posts: strings.Join(d.PostNames(), " "), Pins: strings.Join(d.PinNames(), " ")}
	t, err := ti.typed()
	if err != nil {
		return t, err
	}
	t.CreatedAt = s.Now()
	if err := s.add(tx, &t); err != nil {
		return t, err
	}
	d.Chemistry = t.Chemistry
	_, err = s.declare(tx, &t, d, in.Total, in.Middle)
	return t, err
}
