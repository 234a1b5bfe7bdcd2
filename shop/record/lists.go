package record

import (
	"context"
	"fmt"
	"strconv"
	"strings"
	"time"

	"pandrel/core/base/chem"
	"pandrel/core/base/station"
	"pandrel/core/module/survey"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// Coverage is how far a lot's survey is.
type Coverage struct {
	Total     int      // modules that may be surveyed
	Surveyed  int      // of these
	Left      []string // numbers without a survey, not quarantined: the first of them
	LeftMore  int      // and how many more
	Screens   int      // pictures of instrument screens
	Unused    []string // modules with such a picture and no survey typed from it
	SameTwice []string // numbers that share one and the same picture
}

// listed is how many numbers are named before the rest is counted.
const listed = 60

// LotCoverage returns how far the survey of a lot is: what is left, and what the pictures of instruments say of it.
func (s *Room) LotCoverage(ctx context.Context, lotID int64) (c Coverage, err error) {
	db := s.Store.DB.WithContext(ctx)
	const of = " FROM modules m WHERE m.lot_id = ? AND m.quarantined = 0 AND m.station <> ? "
	const surveyed = "EXISTS (SELECT 1 FROM counting_surveys v WHERE v.module_id = m.id)"
	var n struct{ Total, Surveyed int }
	if err = db.Raw("SELECT count(*) AS total, coalesce(sum("+surveyed+"), 0) AS surveyed"+of, lotID,
		station.Out).Scan(&n).Error; err != nil {
		return c, err
	}
	c.Total, c.Surveyed = n.Total, n.Surveyed
	if err = db.Raw("SELECT m.number"+of+"AND NOT "+surveyed+" ORDER BY m.number LIMIT ?", lotID, station.Out,
		listed).Scan(&c.Left).Error; err != nil {
		return c, err
	}
	c.LeftMore = max(0, c.Total-c.Surveyed-len(c.Left))
	var shots []struct {
		Number  string
		Screens int
		Typed   bool
	}
	err = db.Raw(`SELECT m.number, count(p.id) AS screens, EXISTS (SELECT 1 FROM counting_surveys v WHERE
		v.module_id = m.id AND
		v.picture_id IS NOT NULL) AS typed FROM pictures p JOIN modules m ON m.id = p.module_id WHERE p.kind = ? AND
		m.lot_id = ? AND m.quarantined = 0 AND m.station <> ? GROUP BY m.id ORDER BY m.number`, PictureScreen, lotID,
		station.Out).Scan(&shots).Error
	for _, r := range shots {
		c.Screens += r.Screens
		if !r.Typed && len(c.Unused) < listed {
			c.Unused = append(c.Unused, r.Number)
		}
	}
	if err != nil {
		return c, err
	}
	err = db.Raw(`SELECT DISTINCT m.number FROM pictures p JOIN modules m ON m.id = p.module_id WHERE p.kind = ?
		AND m.lot_id = ? AND EXISTS
		(SELECT 1 FROM pictures q WHERE q.kind = p.kind AND q.original_sha256 = p.original_sha256 AND q.module_id <>
		p.module_id) ORDER BY m.number LIMIT ?`, PictureScreen, lotID, listed).Scan(&c.SameTwice).Error
	return c, err
}

func Plain(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }

// Lot finds a lot.
func (s *Room) Lot(ctx context.Context, id int64) (store.Lot, error) {
	return kernel.ByID[store.Lot](s.Store.DB.WithContext(ctx), id, "lot")
}

// ParseTime reads a time that SQLite returned as text from an aggregate.
func ParseTime(s string) time.Time {
	for _, l := range []string{"2006-01-02 15:04:05.999999999 -0700 MST", "2006-01-02 15:04:05.999999999-07:00",
		time.RFC3339Nano, "2006-01-02 15:04:05"} {
		if t, err := time.Parse(l, s); err == nil {
			return t
		}
	}
	return time.Time{}
}

// Row is a module in a list.
type Row struct {
	store.Module
	TypeName  string
	RatedAh   float64
	Chemistry chem.ID
	BankName  string
}

const RowSelect = `SELECT m.*, t.name AS type_name, t.rated_ah, t.chemistry, coalesce(b.name, '') AS bank_name
	FROM modules m JOIN module_types t ON t.id = m.type_id LEFT JOIN banks b ON b.id = m.bank_id `

// PageSize is how many rows of a list are shown at once.
const PageSize = 100

// InLot lists a lot's modules by number.
func (s *Room) InLot(ctx context.Context, lotID int64) ([]Row, error) {
	return s.inLot(ctx, lotID, -1, 0)
}

func (s *Room) inLot(ctx context.Context, lotID int64, limit, offset int) (rows []Row, err error) {
	err = s.Store.DB.WithContext(ctx).Raw(RowSelect+"WHERE m.lot_id = ? ORDER BY m.number LIMIT ? OFFSET ?", lotID,
		limit, offset).Scan(&rows).Error
	return rows, err
}

// InLotAt lists the first modules of a lot at a station that may be worked on, by number, with how many wait there in
// all and how many that may be worked on are at another one.
func (s *Room) InLotAt(ctx context.Context, lotID int64, at station.Station, limit int) (rows []store.Module, waiting,
	elsewhere int, err error) {
	db := s.Store.DB.WithContext(ctx)
	var n struct{ Waiting, Elsewhere int }
	const works = "lot_id = ? AND quarantined = 0 AND station <> '" + string(station.Out) + "'"
	if err := db.Raw("SELECT coalesce(sum(station = ?), 0) AS waiting, coalesce(sum(station <> ?), 0) AS elsewhere "+
		"FROM modules WHERE "+works, at, at, lotID).Scan(&n).Error; err != nil || n.Waiting == 0 || at == station.Out {
		return nil, n.Waiting, n.Elsewhere, err
	}
	err = db.Where(works+" AND station = ?", lotID, at).Order("number").Limit(limit).Find(&rows).Error
	return rows, n.Waiting, n.Elsewhere, err
}

// InLotPage is one page of a lot's modules.
func (s *Room) InLotPage(ctx context.Context, lotID int64, no, size int) (rows []Row, p kernel.Page, err error) {
	var n int64
	if err = s.Store.DB.WithContext(ctx).Model(&store.Module{}).Where("lot_id = ?", lotID).Count(&n).Error; err != nil {
		return nil, p, err
	}
	p = kernel.PageOf(no, size, int(n))
	rows, err = s.inLot(ctx, lotID, p.Size, p.Offset())
	return rows, p, err
}

// Member is one survey of a family: the newest of a module, or with a single module each of its own.
type Member struct {
	Number      string
	SurveyID    int64
	TakenAt     time.Time
	TakenBy     string
	Instrument  string
	AccuracyV   float64
	RestMinutes float64
	Verdict     survey.Verdict // of that survey
	Volts       []float64      // of each group; of groups that were read together each an equal share
	Read        []Read         // as they were read
}

// Read is a group's voltage as it was read, or of so many groups together from that one on.
type Read struct {
	Group, Span int
	Volts       float64
	Reason      string
}

// Families are what a strip can be drawn of.
var Families = []string{"module", "lot", "type", "bank"}

// membersOf is which surveys make a family, and their order.
func membersOf(of string) (where, order string, err error) {
	const newest = "v.id = (SELECT id FROM counting_surveys WHERE module_id = m.id ORDER BY taken_at DESC, id DESC " +
		"LIMIT 1) AND "
	switch of {
	case "module":
		return "m.id = ?", "w.taken_at DESC, w.id DESC", nil
	case "lot", "type", "bank":
		return newest + "m." + of + "_id = ?", "w.number, w.id", nil
	}
	return "", "", kernel.Missing("strip of %q", of)
}

// FamilyPage is one page of a family.
func (s *Room) FamilyPage(ctx context.Context, of string, id int64, no, size int) (ms []Member, p kernel.Page,
	err error) {
	where, _, err := membersOf(of)
	if err != nil {
		return nil, p, err
	}
	var n int
	err = s.Store.DB.WithContext(ctx).Raw("SELECT count(*) FROM modules m JOIN counting_surveys v ON v.module_id = "+
		"m.id WHERE "+where, id).Scan(&n).Error
	if err != nil {
		return nil, p, err
	}
	p = kernel.PageOf(no, size, n)
	ms, err = s.family(ctx, of, id, p.Size, p.Offset())
	return ms, p, err
}

// Family returns the newest survey of every module of a lot, type or bank by number, or all surveys
// of one module, newest first.
func (s *Room) Family(ctx context.Context, of string, id int64) ([]Member, error) {
	return s.family(ctx, of, id, -1, 0)
}

func (s *Room) family(ctx context.Context, of string, id int64, limit, offset int) ([]Member, error) {
	where, order, err := membersOf(of)
	if err != nil {
		return nil, err
	}
	var rows []struct {
		Number        string
		ID            int64
		TakenAt       time.Time
		TakenBy       string
		Instrument    string
		AccuracyVolts float64
		RestMinutes   float64
		Verdict       survey.Verdict
		Volts         float64
		GroupNo       int
		Span          int
		Reason        string
	}
	err = s.Store.DB.WithContext(ctx).Raw(`WITH members AS (SELECT m.number, v.id, v.taken_at, v.taken_by, v.instrument,
		v.accuracy_volts, v.rest_minutes FROM modules m JOIN counting_surveys v ON v.module_id = m.id WHERE `+where+
		" ORDER BY "+strings.NewReplacer("w.number", "m.number", "w.", "v.").Replace(order)+
		` LIMIT ? OFFSET ?) SELECT w.*, x.verdict, r.volts, r.group_no, r.span, r.reason FROM members w
		JOIN survey_results x ON x.survey_id = w.id JOIN survey_readings r ON r.survey_id = w.id ORDER BY `+order+
		", r.group_no", id, limit, offset).Scan(&rows).Error
	var out []Member
	for _, r := range rows {
		if n := len(out); n == 0 || out[n-1].SurveyID != r.ID {
			out = append(out, Member{Number: r.Number, SurveyID: r.ID, TakenAt: r.TakenAt, TakenBy: r.TakenBy,
				Instrument: r.Instrument, AccuracyV: r.AccuracyVolts, RestMinutes: r.RestMinutes, Verdict: r.Verdict})
		}
		m := &out[len(out)-1]
		span := max(1, r.Span)
		m.Read = append(m.Read, Read{r.GroupNo, span, r.Volts, r.Reason})
		for range span {
			m.Volts = append(m.Volts, r.Volts/float64(span))
		}
	}
	return out, err
}

// FamilyName says what a strip is of.
func (s *Room) FamilyName(ctx context.Context, of string, id int64) (name string, err error) {
	db := s.Store.DB.WithContext(ctx)
	switch of {
	case "module":
		m, err := kernel.ByID[store.Module](db, id, of)
		return m.Number, err
	case "lot":
		l, err := kernel.ByID[store.Lot](db, id, of)
		return "lot from " + l.Supplier, err
	case "type":
		t, err := kernel.ByID[store.ModuleType](db, id, of)
		return t.Name, err
	case "bank":
		b, err := kernel.ByID[store.Bank](db, id, of)
		return "bank " + b.Name, err
	}
	return "", kernel.Missing("%s %d", of, id)
}

// FamilyExport returns the readings of a family as a table that the import reads again: groups that were read together
// as such, and what is not known left empty.
func FamilyExport(members []Member) (header []string, rows [][]any) {
	header = []string{"module", "group", "volts", "taken_at", "rest_min", "accuracy_v", "verdict", "instrument",
		"taken_by", "reason"}
	for _, m := range members {
		for _, r := range m.Read {
			var rest any = ""
			if m.RestMinutes >= 0 {
				rest = m.RestMinutes
			}
			rows = append(rows, []any{m.Number, r.Name(), r.Volts, m.TakenAt.Format(time.RFC3339), rest,
				Told(m.AccuracyV), m.Verdict, m.Instrument, m.TakenBy, r.Reason})
		}
	}
	return header, rows
}

// Name is a group's number, or the numbers of those that were read together: 3-4.
func (r Read) Name() any {
	if r.Span > 1 {
		return fmt.Sprintf("%d-%d", r.Group, r.Group+r.Span-1)
	}
	return r.Group
}

// Told is a figure for a file: empty where it is not known, which is kept as 0.
func Told(v float64) any {
	if v == 0 {
		return ""
	}
	return v
}
