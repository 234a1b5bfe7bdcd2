package desk

import (
	"context"
	"slices"

	"pandrel/core/base/station"
	"pandrel/core/module/survey"
	"pandrel/shop/record"
)

// Batch is the page of a lot on which all of it that waits at a station is worked on at once, and how that is said with
// its count.
type Batch struct {
	At         station.Station
	Page, Says string
}

// Batches are those pages, in the order of the work.
var Batches = []Batch{{station.Inspect, "look", "Look at all %d"}, {station.Survey, "survey", "Survey all %d"},
	{station.Test, "results", "Results of %d"}, {station.Grade, "grade", "Grade all %d"}}

// OddIn lists the first modules of a lot that do not go on with the others, by number: quarantined, held, found odd
// by a survey, or left at a station before the given one. More is how many there are beside them.
func (s *Room) OddIn(ctx context.Context, lotID int64, before station.Station, limit int) (
	rows []record.Row, more int, err error) {
	behind := station.Path[:max(slices.Index(station.Path, before), 0)]
	free := station.Path[:slices.Index(station.Path, station.Design)] // a watched one that was graded went on
	where := "WHERE m.lot_id = ? AND m.station <> ? AND (m.quarantined = 1 OR m.hold <> '' OR m.verdict IN ? AND " +
		"m.station IN ? OR m.station IN ?) "
	db := s.Store.DB.WithContext(ctx)
	if err := db.Raw(record.RowSelect+where+"ORDER BY m.number LIMIT ?", lotID, station.Out, survey.Troubling, free,
		behind, limit).
		Scan(&rows).Error; err != nil {
		return nil, 0, err
	}
	err = db.Raw("SELECT count(*) FROM modules m "+where, lotID, station.Out, survey.Troubling, free,
		behind).Scan(&more).Error
	return rows, more - len(rows), err
}

// LotAt is what of a lot waits at a station, and how many of its modules have it behind them.
type LotAt struct {
	LotID         int64
	Supplier      string
	Waiting, Done int
}

// LotsAt lists the lots of which something waits at a station, the one with the longest wait first.
func (s *Room) LotsAt(ctx context.Context, at station.Station) (out []LotAt, err error) {
	past := station.Path[min(slices.Index(station.Path, at)+1, len(station.Path)):]
	err = s.Store.DB.WithContext(ctx).Raw("SELECT l.id AS lot_id, l.supplier, sum(m.station = ?) AS waiting, "+
		"sum(m.station IN ?) AS done FROM modules m JOIN lots l ON l.id = m.lot_id WHERE m.quarantined = 0 "+
		"GROUP BY l.id HAVING waiting > 0 ORDER BY min(CASE WHEN m.station = ? THEN m.station_since END), l.id",
		at, past, at).Scan(&out).Error
	return out, err
}

// LotsOfType lists the lots that hold modules of a type which may be worked on, the newest first, with how many wait at
// a station.
func (s *Room) LotsOfType(ctx context.Context, typeID int64, at station.Station) (out []LotAt, err error) {
	err = s.Store.DB.WithContext(ctx).Raw("SELECT l.id AS lot_id, l.supplier, sum(m.station = ?) AS waiting FROM "+
		"modules m JOIN lots l ON l.id = m.lot_id WHERE m.type_id = ? AND m.quarantined = 0 AND m.station <> "+
		"? GROUP BY l.id ORDER BY l.id DESC", at, typeID, station.Out).Scan(&out).Error
	return out, err
}

// First is the module that waits at a station for longest and that nothing holds, "" for none: of a lot, of a type, or
// with 0 of any.
func (s *Room) First(ctx context.Context, at station.Station, lotID, typeID int64) (number string, err error) {
	err = s.Store.DB.WithContext(ctx).Raw("SELECT number FROM modules WHERE station = ? AND quarantined = 0 AND "+
		"hold = '' AND ? IN (0, lot_id) AND ? IN (0, type_id) ORDER BY station_since, number LIMIT 1", at, lotID,
		typeID).
		Scan(&number).Error
	return number, err
}
