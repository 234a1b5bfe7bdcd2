// Package shop is what a person does in the workshop: a room for each part of the work, each action beside the
// views of what it changes. An action loads, asks the core, and saves in one transaction.
//
//	kernel     the transaction, the token, the log, the errors: no trade
//	record     what is on record of a module, and what that says it may do next
//	undo       what is taken back
//	receive    lots, modules, looks, histories
//	measure    maps, checks, surveys, leads, opening
//	bench      what stands on the bench, what a test would be on it
//	test       tests: logs, what was typed, on the cycler, by hand
//	grade      grades, by the shop's limits
//	types      what modules of one design share
//	bank       needs, designs, BMS, sense leads
//	floor      banks as they are drawn
//	procedure  packs, standing banks, the way into service
//	working    workings filled from what is on record
//	start      from what somebody has to a first answer, in one action
//	desk       the workshop at a glance
//
// Each room may ask those above it in this list.
package shop

import (
	"time"

	"pandrel/shop/bank"
	"pandrel/shop/bench"
	"pandrel/shop/desk"
	"pandrel/shop/floor"
	"pandrel/shop/grade"
	"pandrel/shop/kernel"
	"pandrel/shop/measure"
	"pandrel/shop/procedure"
	"pandrel/shop/receive"
	"pandrel/shop/record"
	"pandrel/shop/regroup"
	"pandrel/shop/start"
	"pandrel/shop/test"
	"pandrel/shop/types"
	"pandrel/shop/undo"
	"pandrel/shop/working"
	"pandrel/store"
)

// Shop is a workshop with its rooms.
type Shop struct {
	*kernel.Kernel
	Record    *record.Room
	Undo      *undo.Room
	Receive   *receive.Room
	Measure   *measure.Room
	Bench     *bench.Room
	Tests     *test.Room
	Grade     *grade.Room
	Types     *types.Room
	Bank      *bank.Room
	Floor     *floor.Room
	Procedure *procedure.Room
	Regroup   *regroup.Room
	Desk      *desk.Room
	Start     *start.Room
	Working   *working.Room
}

// New returns a workshop over st; now is the clock, nil for the real one.
func New(st *store.Store, now func() time.Time) *Shop {
	s := &Shop{Kernel: kernel.New(st, now)}
	s.Record = &record.Room{Kernel: s.Kernel}
	s.Kernel.Hold = s.Record.Rehold
	s.Undo = &undo.Room{Kernel: s.Kernel, Record: s.Record}
	s.Receive = &receive.Room{Kernel: s.Kernel, Record: s.Record}
	s.Measure = &measure.Room{Kernel: s.Kernel, Record: s.Record, Receive: s.Receive}
	s.Bench = &bench.Room{Kernel: s.Kernel, Record: s.Record}
	s.Tests = &test.Room{Kernel: s.Kernel, Record: s.Record, Bench: s.Bench}
	s.Grade = &grade.Room{Kernel: s.Kernel, Record: s.Record}
	s.Types = &types.Room{Kernel: s.Kernel, Record: s.Record, Measure: s.Measure}
	s.Undo.Undoers = append(s.Undo.Undoers, s.Types)
	s.Bank = &bank.Room{Kernel: s.Kernel, Record: s.Record}
	s.Undo.Undoers = append(s.Undo.Undoers, s.Bank)
	s.Floor = &floor.Room{Kernel: s.Kernel, Record: s.Record, Bank: s.Bank}
	s.Procedure = &procedure.Room{Kernel: s.Kernel, Record: s.Record, Receive: s.Receive, Bank: s.Bank}
	s.Regroup = &regroup.Room{Kernel: s.Kernel, Record: s.Record, Receive: s.Receive, Types: s.Types}
	s.Desk = &desk.Room{Kernel: s.Kernel, Record: s.Record, Tests: s.Tests, Bank: s.Bank, Procedure: s.Procedure}
	s.Start = &start.Room{Kernel: s.Kernel, Record: s.Record, Receive: s.Receive, Types: s.Types, Bank: s.Bank}
	s.Working = &working.Room{Kernel: s.Kernel, Record: s.Record, Bank: s.Bank, Procedure: s.Procedure}
	return s
}
