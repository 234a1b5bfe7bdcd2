package measure

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/base/station"
	"pandrel/core/test/kind"
	"pandrel/shop/kernel"
	"pandrel/shop/receive"
	"pandrel/shop/record"
	"pandrel/store"
)

// ModuleRow is one line of an imported list of modules.
type ModuleRow struct {
	Number  string
	Type    string
	PlateAh float64
	History string // unknown, clean, flood, crash or recall
	Note    string

	CapacityAh     float64 // what somebody says it holds, 0 for nothing said; it is no test
	ResistanceMOhm float64
}

// errPreview rolls a preview back.
var errPreview = errors.New("preview only")

// ImportModules receives modules listed in a file, all or none. errs holds what is wrong with each
// row by its index; nothing is saved while there is any, or when save is false.
func (s *Room) ImportModules(ctx context.Context, lotID int64, rows []ModuleRow, token string,
	save bool) (errs map[int]string, err error) {
	errs = map[int]string{}
	if !save {
		token = ""
	}
	err = s.Action(ctx, token, "import", func(tx *gorm.DB) error {
		lot, err := kernel.ByID[store.Lot](tx, lotID, "lot")
		if err != nil {
			return err
		}
		var types []store.ModuleType
		if err := tx.Find(&types).Error; err != nil {
			return err
		}
		byName := map[string]store.ModuleType{}
		for _, t := range types {
			byName[strings.ToLower(t.Name)] = t
		}
		list := moduleList{lot, byName, map[string]int{}, kernel.Who(ctx)}
		for i, r := range rows {
			if err := s.importModule(tx, list, i, r); err != nil {
				var inv *kernel.Invalid
				if !errors.As(err, &inv) {
					return err
				}
				errs[i] = inv.Error()
			}
		}
		if len(errs) > 0 || !save {
			return errPreview
		}
		return nil
	})
	if errors.Is(err, errPreview) {
		err = nil
	}
	return errs, err
}

// moduleList is a list under way: the lot that it goes into, the types by name, and the rows seen so far by number.
type moduleList struct {
	lot   store.Lot
	types map[string]store.ModuleType
	seen  map[string]int
	by    string
}

func (s *Room) importModule(tx *gorm.DB, list moduleList, i int, r ModuleRow) error {
	lot, by := list.lot, list.by
	c := kernel.Checks{} // every error of a row, not only the first
	_, err := receive.Numbers(r.Number, 1)
	c.Need(err == nil, "number", "%v", err)
	key := strings.ToLower(r.Number)
	if first, ok := list.seen[key]; ok {
		c.Need(false, "number", "%s is in the list twice, first in row %d", r.Number, first+1)
	}
	list.seen[key] = i
	t, ok := list.types[strings.ToLower(r.Type)]
	c.Need(ok, "type", "%q: expected one of the module types known here", r.Type)
	c.Need(r.PlateAh >= 0 && r.PlateAh <= 1e5, "plate_ah", "%v Ah: expected the plate's capacity", r.PlateAh)
	c.Need(r.CapacityAh >= 0 && r.CapacityAh <= 1e5, "capacity_ah", "%v Ah: expected a capacity", r.CapacityAh)
	c.Need(r.ResistanceMOhm >= 0 && r.ResistanceMOhm <= 1e5, "resistance_mohm", "%v mΩ: expected a resistance",
		r.ResistanceMOhm)
	r.History = strings.ToLower(strings.TrimSpace(r.History))
	c.Need(r.History == "" || slices.Contains(record.AskedHistory, r.History), "history", "%q: expected one of %s",
		r.History, strings.Join(record.AskedHistory, ", "))
	var n int64
	if err := tx.Model(&store.Module{}).Where("number = ? COLLATE NOCASE", r.Number).Count(&n).Error; err != nil {
		return err
	}
	c.Need(n == 0, "number", "%s exists already", r.Number)
	if err := c.Err(); err != nil {
		return err
	}
	m := store.Module{Number: r.Number, LotID: lot.ID, TypeID: t.ID, PlateAh: r.PlateAh, PlateNote: r.Note,
		History: r.History, HoldRules: kernel.RulesVersion, Station: station.Inspect, StationSince: s.Now(),
		Version: 1, CreatedAt: s.Now()}
	if err := tx.Create(&m).Error; err != nil {
		return err
	}
	if err := s.Log(tx, kernel.Received, kernel.About{Module: m.ID, Lot: lot.ID},
		"Received as %s from %s, from a list", t.Name, lot.Supplier); err != nil {
		return err
	}
	if r.CapacityAh > 0 || r.ResistanceMOhm > 0 {
		row := store.OfModule(kind.Typed, m.ID)
		row.By, row.At, row.Token = by, s.Now(), fmt.Sprintf("import-%d", m.ID)
		if err := record.Typed(tx, row, kind.Result{CapacityAh: r.CapacityAh, ResistanceMOhm: r.ResistanceMOhm,
			Note: "from an imported list, how it was measured is not known"}); err != nil {
			return err
		}
	}
	if r.History == "flood" || r.History == "recall" {
		if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Update("flood_or_recall", true).Error; err != nil {
			return err
		}
		return s.Quarantine(tx, &m, r.History+" history")
	}
	return nil
}

// OnRecord is what is said of a row whose very sitting is on record already: it is not kept twice.
const OnRecord = "on record already"

// ImportSurveys keeps many surveys from a file, as a monitor or a spreadsheet lists them, all or
// none. Each is judged as if it had been typed. errs is by index into in.
func (s *Room) ImportSurveys(ctx context.Context, in []SurveyInput, token string, save bool) (verdicts []string,
	errs map[int]string, err error) {
	errs = map[int]string{}
	verdicts = make([]string, len(in))
	if !save {
		token = ""
	}
	in = slices.Clone(in)
	Together(in)
	err = s.Action(ctx, token, "import", func(tx *gorm.DB) error {
		for i, x := range in {
			x.Token = fmt.Sprintf("%s-%d", token, i)
			_, r, err := s.recordSurvey(tx, x)
			var inv *kernel.Invalid
			var nf *kernel.NotFound
			var blk *kernel.Blocked
			switch {
			case err == nil:
				verdicts[i] = string(r.Verdict)
			case errors.As(err, new(*kernel.Again)): // each row answers for itself: the others are kept
				verdicts[i] = OnRecord
			case errors.As(err, &inv):
				errs[i] = inv.Error()
			case errors.As(err, &nf), errors.As(err, &blk):
				errs[i] = err.Error()
			default:
				return err
			}
		}
		if len(errs) > 0 || !save {
			return errPreview
		}
		return nil
	})
	if errors.Is(err, errPreview) {
		err = nil
	}
	return verdicts, errs, err
}

// LotExport returns the header and rows of a lot's modules with what was measured, for a file.
func (s *Room) LotExport(ctx context.Context, lotID int64) (header []string, rows [][]any, err error) {
	list, err := s.Record.InLot(ctx, lotID)
	if err != nil {
		return nil, nil, err
	}
	family, err := s.Record.Family(ctx, "lot", lotID)
	if err != nil {
		return nil, nil, err
	}
	groups, read := 0, map[string][]record.Read{}
	for _, m := range family {
		read[m.Number] = m.Read
		groups = max(groups, len(m.Volts))
	}
	header = []string{"module", "type", "plate_ah", "station", "verdict", "capacity_ah", "resistance_mohm", "class",
		"fitness"}
	for g := range groups {
		header = append(header, fmt.Sprintf("g%d_v", g+1))
	}
	header = append(header, "read_together")
	for _, m := range list {
		row := []any{m.Number, m.TypeName, record.Told(m.PlateAh), m.Station, m.Verdict, record.Told(m.CapacityAh),
			record.Told(m.ResistanceMohm), m.Class, m.Fitness}
		cells, together := make([]any, groups), []string{}
		for g := range cells {
			cells[g] = ""
		}
		for _, r := range read[m.Number] {
			if r.Span > 1 { // a total is no voltage of one group
				together = append(together, fmt.Sprintf("%v: %v V", r.Name(), r.Volts))
			} else if r.Group <= groups {
				cells[r.Group-1] = r.Volts
			}
		}
		rows = append(rows, append(append(row, cells...), strings.Join(together, "; ")))
	}
	return header, rows, nil
}
