package test

import (
	"bytes"
	"context"
	"io"
	"strconv"
	"sync"

	"golang.org/x/sync/singleflight"

	"pandrel/core/test/kind"
	"pandrel/core/test/logfile"
	"pandrel/core/test/logview"
	"pandrel/core/test/trace"
	"pandrel/exchange"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// mostRead bounds how many values of logs are held in memory for those who look at them: four of a million samples in
// six columns. A log that is not held is read from its file again.
const mostRead = 28 << 20

// readLogs are the logs that were looked at last, the newest first. A kept log never changes, so that nothing here can
// grow stale.
type readLogs struct {
	mu   sync.Mutex
	list []*ReadLog
	once singleflight.Group
}

// ReadLog is a kept log as it is read: every sample, and what the rules made of it.
type ReadLog struct {
	Test    store.Test
	Module  store.Module
	Type    store.ModuleType
	Result  trace.Result
	Log     *logfile.Log
	Series  int // groups on the clamps
	RulesOf string
}

func (l *ReadLog) values() int { return len(l.Log.Seconds) * (4 + len(l.Log.Groups)) }

// EndS is when the log ends.
func (l *ReadLog) EndS() float64 { return l.Log.Seconds[len(l.Log.Seconds)-1] }

// take returns a log that is held.
func (c *readLogs) take(id int64) *ReadLog {
	c.mu.Lock()
	defer c.mu.Unlock()
	for i, l := range c.list {
		if l.Test.ID == id {
			copy(c.list[1:i+1], c.list[:i])
			c.list[0] = l
			return l
		}
	}
	return nil
}

// put holds a log, and lets go of those that were looked at longest ago.
func (c *readLogs) put(l *ReadLog) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.list = append([]*ReadLog{l}, c.list...)
	sum := 0
	for i, x := range c.list {
		if sum += x.values(); sum > mostRead && i > 0 {
			clear(c.list[i:])
			c.list = c.list[:i]
			return
		}
	}
}

// ReadKept returns a kept log with all of its samples. What the rules of today make of it is not what counts: the
// result that was kept is.
func (s *Room) ReadKept(ctx context.Context, id int64) (*ReadLog, error) {
	if l := s.read.take(id); l != nil {
		return l, nil
	}
	x, err, _ := s.read.once.Do(strconv.FormatInt(id, 10), func() (any, error) {
		if l := s.read.take(id); l != nil {
			return l, nil
		}
		l, err := s.readKept(context.WithoutCancel(ctx), id)
		if err == nil {
			s.read.put(l)
		}
		return l, err
	})
	if err != nil {
		return nil, err
	}
	return x.(*ReadLog), nil
}

func (s *Room) readKept(ctx context.Context, id int64) (*ReadLog, error) {
	db := s.Store.DB.WithContext(ctx)
	t, err := logOf(db, id)
	if err != nil {
		return nil, err
	}
	m, err := kernel.ByID[store.Module](db, t.ModuleID, "module")
	if err != nil {
		return nil, err
	}
	data, err := kernel.Blob(db, t.Sha256)
	if err != nil {
		return nil, err
	}
	in, err := inputOf(t, m.Number, data)
	if err != nil {
		return nil, err
	}
	o, err := s.clamped(ctx, &in)
	if err != nil {
		return nil, err
	}
	log, _, err := readLog(ctx, o, in)
	if err != nil {
		return nil, kernel.Bad("file", "%s: %v", t.FileName, err)
	}
	row, err := kernel.Take[store.TestResult](db.Where("test_id = ?", id), &kernel.NotFound{What: "log"})
	if err != nil {
		return nil, err
	}
	r, err := store.Read[kind.Logged](row.Gave)
	if err != nil {
		return nil, err
	}
	return &ReadLog{Test: t, Module: m, Type: o.typ, Result: r, Log: log, Series: o.groups(),
		RulesOf: row.RulesVersion}, nil
}

// inputOf is how a kept log was read.
func inputOf(t store.Test, number string, data []byte) (LogInput, error) {
	as, err := store.Read[kind.AsLog](t.Given)
	return LogInput{Number: number, FileName: t.FileName, Data: data, FlipCurrent: as.FlipCurrent,
		FloorVolts: as.FloorVolts, ReadAs: as.ReadAs, FromGroup: t.FromGroup, ToGroup: t.ToGroup}, err
}

// StretchText is the lines of a log between two times, as the file has them, with what stands above its first sample.
func (s *Room) StretchText(ctx context.Context, l *ReadLog, st logview.Stretch) ([]byte, error) {
	data, err := kernel.Blob(s.Store.DB.WithContext(ctx), l.Test.Sha256)
	if err != nil {
		return nil, err
	}
	text, err := exchange.LogText(ctx, data)
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	head, no := l.Log.LineOf(0), 0
	for line := range bytes.Lines(text) {
		if no++; no < head || no >= st.FirstLine && no <= st.LastLine {
			out.Write(line)
		}
	}
	return out.Bytes(), nil
}

// Reread keeps a reading of a kept log with other settings. The one before stays on record and counts no more.
func (s *Room) Reread(ctx context.Context, id int64, in LogInput) (newID int64, r trace.Result, err error) {
	t, file, err := s.OriginalFile(ctx, id)
	if err != nil {
		return 0, r, err
	}
	m, err := kernel.ByID[store.Module](s.Store.DB.WithContext(ctx), t.ModuleID, "module")
	if err != nil {
		return 0, r, err
	}
	newer, err := s.NewerReading(ctx, id)
	if err != nil {
		return 0, r, err
	}
	if newer > 0 {
		return 0, r, kernel.Bad("", "this log was read again since: go on from the newer reading")
	}
	if in.Data, err = io.ReadAll(file); err != nil {
		return 0, r, err
	}
	in.Number, in.FileName, in.Replaces = m.Number, t.FileName, id
	return s.RecordLog(ctx, in)
}

// As is how a kept log was read, to be changed and read again.
func (s *Room) As(l *ReadLog) (LogInput, error) { return inputOf(l.Test, l.Module.Number, nil) }

// NewerReading is the reading that took the place of a log, 0 for none; one that was struck too took none.
func (s *Room) NewerReading(ctx context.Context, id int64) (newer int64, err error) {
	err = s.Store.DB.WithContext(ctx).Raw("SELECT coalesce(max(y.id), 0) FROM tests y WHERE y.replaces = ? AND NOT "+
		"EXISTS (SELECT 1 FROM strikes z WHERE z.kind = 'test' AND z.row_id = y.id)", id).Scan(&newer).Error
	return newer, err
}

// ThinOf is a log reduced for a picture, as it was kept.
func (s *Room) ThinOf(ctx context.Context, id int64) (logview.Thin, error) {
	row, err := kernel.Take[store.TestResult](s.Store.DB.WithContext(ctx).Where("test_id = ?", id),
		&kernel.NotFound{What: "log"})
	if err != nil {
		return logview.Thin{}, err
	}
	return row.Thin.Get()
}
