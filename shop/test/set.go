package test

import (
	"context"
	"fmt"

	"pandrel/core/base/numeral"
	"pandrel/core/test/logfile"
	"pandrel/core/test/parts"
	"pandrel/core/test/trace"
	"pandrel/exchange"
	"pandrel/shop/kernel"
)

// SetInput is one log of several loose cells in series, cell by cell as its columns stand.
type SetInput struct {
	Numbers  []string // of the cells, in the order of the log's columns
	FileName string
	Data     []byte
	Token    string
}

// SetCell is what a log of a set says of one of its cells.
type SetCell struct {
	Number string
	Column string
	Result trace.Result
	Fails  string
}

// MostInSet bounds the cells of one log.
const MostInSet = 60

// TrySet reads a log of a set, and lays its cells beside each other. Nothing is kept.
func (s *Room) TrySet(ctx context.Context, in SetInput) (cells []SetCell, set parts.Set, err error) {
	err = s.eachOfSet(ctx, in, func(x SetCell, one LogInput) error {
		tried, err := s.TryLog(ctx, one)
		if err != nil {
			if ctx.Err() != nil {
				return err
			}
			x.Fails = err.Error()
		}
		x.Result = tried.Result
		if x.Result.Held != nil {
			x.Fails = "held: " + x.Result.Held.Text
		}
		cells = append(cells, x)
		return nil
	})
	if err != nil {
		return nil, set, err
	}
	var list []parts.Cell
	for _, x := range cells {
		c := parts.Cell{Name: x.Number}
		if k := x.Result.Capacity; k != nil {
			c.Ah, c.Complete = k.Ah, k.Complete
		}
		if n := len(x.Result.Segments); n > 0 && x.Result.Segments[n-1].Kind == trace.Rest {
			c.RestV = x.Result.Segments[n-1].LastV
		}
		list = append(list, c)
	}
	if set, err = parts.Compare(list); err != nil {
		return nil, set, kernel.Bad("numbers", "%v", err)
	}
	return cells, set, nil
}

// RecordSet keeps a log of a set: for each of its cells the same file, read by its own column. Those that cannot be
// kept are named; the others are.
func (s *Room) RecordSet(ctx context.Context, in SetInput) (cells []SetCell, err error) {
	err = s.eachOfSet(ctx, in, func(x SetCell, one LogInput) error {
		one.Token = fmt.Sprintf("%s-%d", in.Token, len(cells))
		_, r, err := s.RecordLog(ctx, one)
		if err != nil {
			if ctx.Err() != nil {
				return err
			}
			x.Fails = err.Error()
		}
		x.Result = r
		cells = append(cells, x)
		return nil
	})
	return cells, err
}

// eachOfSet finds the column of each cell, and what a log must be read as for it alone.
func (s *Room) eachOfSet(ctx context.Context, in SetInput, do func(SetCell, LogInput) error) error {
	if n := len(in.Numbers); n < 2 || n > MostInSet {
		return kernel.Bad("numbers", "%s: expected 2 to %d, in the order of the log's columns", numeral.Count(n,
			"cell"), MostInSet)
	}
	log, err := exchange.ReadLog(ctx, in.Data, logfile.ParseOptions{})
	if err != nil {
		return kernel.Bad("file", "%s: %v", in.FileName, err)
	}
	var at []int // the column of each group
	others := map[int]logfile.Assign{}
	for i, k := range log.Table.Kinds {
		var g int
		if n, _ := fmt.Sscanf(k, "group %d", &g); n == 1 {
			at = append(at, i+1)
			others[i+1] = logfile.Assign{Kind: "ignore"}
		} else if k == logfile.KindVolts {
			others[i+1] = logfile.Assign{Kind: "ignore"}
		}
	}
	if len(at) != len(in.Numbers) {
		return kernel.Bad("numbers", "%s has voltages of %s, and %d numbers are given: expected one for each",
			in.FileName, numeral.Count(len(at), "cell"), len(in.Numbers))
	}
	for i, number := range in.Numbers {
		m, t, err := s.ModuleWithType(ctx, number)
		if err != nil {
			return err
		}
		if lay, ok, err := s.Record.LayoutFor(ctx, m, t); err != nil {
			return err
		} else if !ok || lay.Series != 1 {
			return kernel.Bad("numbers", "%s is no loose cell: expected cells of one group", m.Number)
		}
		as := map[int]logfile.Assign{}
		for k, a := range others {
			as[k] = a
		}
		a := logfile.Assign{Kind: logfile.KindVolts}
		if u := log.Table.Units[at[i]-1]; u != "" && logfile.IsVoltUnit(u) {
			a.Unit = u
		}
		as[at[i]] = a
		if err := do(SetCell{Number: m.Number, Column: log.Table.Names[at[i]-1]}, LogInput{Number: m.Number,
			FileName: in.FileName, Data: in.Data, ReadAs: logfile.ReadAs{Columns: as}}); err != nil {
			return err
		}
	}
	return nil
}
