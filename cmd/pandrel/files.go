package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"pandrel/core/bank/match"
	"pandrel/core/bank/netlist"
	"pandrel/core/bank/wiring"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
	"pandrel/core/module/layout"
	"pandrel/core/module/sense"
	"pandrel/core/module/survey"
	"pandrel/core/test/logfile"
	"pandrel/core/test/trace"
	"pandrel/exchange"
)

func root() *cobra.Command {
	c := &cobra.Command{Use: "pandrel", Short: "A workshop for second-life battery modules", SilenceErrors: true,
		SilenceUsage: true, PersistentPreRunE: func(c *cobra.Command, _ []string) error { return numbers(c) }}
	c.AddCommand(mapCmd(), surveyCmd(), traceCmd(), matchCmd(), wiringCmd(), drawCmd(), joinCmd(), shareCmd(),
		sizeCmd(),
		windowCmd(), balanceCmd(), workingCmd(), instrumentsCmd(), serveCmd(), demoCmd(), backupCmd(), restoreCmd(),
		versionCmd())
	c.CompletionOptions.DisableDefaultCmd = true
	return c
}

// numbers refuses a flag whose number is none: NaN is equal to nothing and would pass for 'not given'.
func numbers(c *cobra.Command) (err error) {
	c.Flags().Visit(func(f *pflag.Flag) {
		if v, e := strconv.ParseFloat(f.Value.String(), 64); e == nil && (math.IsNaN(v) || math.IsInf(v, 0)) &&
			strings.HasPrefix(f.Value.Type(), "float") {
			err = fmt.Errorf("--%s %s: expected a number", f.Name, f.Value)
		}
	})
	return err
}

// load reads a file; - is standard input.
func load(name string) ([]byte, error) {
	if name == "-" {
		return io.ReadAll(os.Stdin)
	}
	b, err := os.ReadFile(name)
	var pe *os.PathError
	if errors.As(err, &pe) {
		return nil, fmt.Errorf("%s: %v", name, pe.Err)
	}
	return b, err
}

// in names the file in front of an error.
func in(file string, err error) error { return fmt.Errorf("%s: %w", file, err) }

func notes(c *cobra.Command, list []string) {
	for _, n := range list {
		fmt.Fprintln(c.ErrOrStderr(), "note:", n)
	}
}

// answer prints a result as JSON, or as the report that text writes, and turns standing stops into exit status 1.
func answer(c *cobra.Command, asJSON bool, result any, findings []finding.Finding, text func(w io.Writer)) error {
	w := c.OutOrStdout()
	if asJSON {
		enc := json.NewEncoder(w)
		enc.SetIndent("", " ")
		if err := enc.Encode(result); err != nil {
			return err
		}
	} else {
		text(w)
		for _, f := range finding.Sorted(findings) {
			fmt.Fprintf(w, "%-7s %s %s\n        %s\n", f.Level, f.Subject, f.Text, f.Do)
		}
	}
	if finding.Blocks(findings) {
		return blocked{}
	}
	return nil
}

func mapCmd() *cobra.Command {
	var chemistry, rolesFile string
	var asJSON bool
	var plate int
	var meterMOhm float64
	c := &cobra.Command{Use: "map FILE.csv", Short: "Find the layout of a module from red,black,volts readings",
		Args: cobra.ExactArgs(1), RunE: func(c *cobra.Command, args []string) error {
			data, err := load(args[0])
			if err != nil {
				return err
			}
			opt := layout.Options{PlateSeries: plate, MeterOhms: meterMOhm * 1e6}
			if opt.Chemistry, err = chem.Parse(chemistry); err != nil {
				return err
			}
			rs, ns, err := exchange.ReadProbes(data)
			if err != nil {
				return in(args[0], err)
			}
			notes(c, ns)
			if rolesFile != "" {
				data, err := load(rolesFile)
				if err != nil {
					return err
				}
				if opt.Roles, ns, err = exchange.ReadRoles(data); err != nil {
					return in(rolesFile, err)
				}
				notes(c, ns)
			}
			m, err := layout.Solve(rs, opt)
			if err != nil {
				return in(args[0], err)
			}
			return answer(c, asJSON, m, m.Findings, func(w io.Writer) {
				fmt.Fprintf(w, "%s in series, complete: %v, readings more than needed: %d\n", numeral.Count(m.Series,
					"group"),
					m.Complete, m.Redundancy)
				for i := len(m.Groups) - 1; i >= 0; i-- {
					g := m.Groups[i]
					fmt.Fprintf(w, "  group %2d  %7.3f V  %s → %s\n", g.Index, g.Volts, strings.Join(g.Negative, " "),
						strings.Join(g.Positive, " "))
				}
				if n := m.NextReading; n != nil {
					fmt.Fprintf(w, "next: red on %s, black on %s: %s\n", n.Red, n.Black, n.Why)
				}
			})
		}}
	c.Flags().StringVar(&chemistry, "chemistry", "auto", "lfp, nmc, lmo, nca, lto or auto")
	c.Flags().Float64Var(&meterMOhm, "meter-mohm", 10, "the meter's input resistance in megohms, for readings "+
		"against the case")
	c.Flags().StringVar(&rolesFile, "roles", "", "file of point,role,order")
	c.Flags().IntVar(&plate, "series", 0, "groups in series by the label plate")
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return c
}

// surveyCmd reads surveys from a table and judges them.
//
// In one piece: the flags and what is done with each stand side by side.
func surveyCmd() *cobra.Command {
	var chemistry, previous, curveFile string
	var asJSON bool
	var rated float64
	c := &cobra.Command{Use: "survey FILE.csv", Short: "Judge group voltages from module,group,volts",
		Args: cobra.ExactArgs(1), RunE: func(c *cobra.Command, args []string) error {
			id, err := chem.Parse(chemistry)
			if err != nil {
				return err
			}
			data, err := load(args[0])
			if err != nil {
				return err
			}
			mods, ns, err := exchange.ReadSurvey(data, id, rated)
			if err != nil {
				return in(args[0], err)
			}
			notes(c, ns)
			own, err := ownCurve(curveFile, id)
			if err != nil {
				return err
			}
			earlier := map[string]survey.Module{}
			if previous != "" {
				data, err := load(previous)
				if err != nil {
					return err
				}
				before, ns, err := exchange.ReadSurvey(data, id, rated)
				if err != nil {
					return in(previous, err)
				}
				notes(c, ns)
				for _, m := range before {
					if m.TakenAt.IsZero() {
						return in(previous, fmt.Errorf("module %s has no taken_at: expected one in both files, to "+
							"know the days between", m.Name))
					}
					earlier[m.Name] = m
				}
			}
			out := struct {
				Modules  []survey.Result   `json:"modules"`
				Findings []finding.Finding `json:"findings"`
			}{Findings: []finding.Finding{}}
			for _, m := range mods {
				m.Curve = own
				r, err := survey.JudgeGroups(m, survey.DefaultPolicy)
				if err != nil {
					return in(args[0], fmt.Errorf("module %s: %w", m.Name, err))
				}
				if e, ok := earlier[m.Name]; ok {
					if m.TakenAt.IsZero() {
						return in(args[0], fmt.Errorf("module %s has no taken_at: expected one in both files, to "+
							"know the days between", m.Name))
					}
					e.Curve = own
					before, err := survey.JudgeGroups(e, survey.DefaultPolicy)
					if err != nil {
						return in(previous, fmt.Errorf("module %s: %w", m.Name, err))
					}
					survey.Drift(&r, before, m, m.TakenAt.Sub(e.TakenAt).Hours()/24, survey.DefaultPolicy)
				}
				out.Findings = append(out.Findings, r.Findings...)
				r.Findings = nil
				out.Modules = append(out.Modules, r)
			}
			return answer(c, asJSON, out, out.Findings, func(w io.Writer) {
				for _, m := range out.Modules {
					fmt.Fprintf(w, "%-10s %2d groups  %.3f to %.3f V  spread %.0f mV  %s\n", m.Module, m.Series,
						m.MinV, m.MaxV, m.SpreadMV, m.Verdict)
				}
			})
		}}
	c.Flags().StringVar(&chemistry, "chemistry", "auto", "lfp, nmc, lmo, nca, lto or auto")
	c.Flags().Float64Var(&rated, "rated-ah", 0, "rated capacity of a module, Ah")
	c.Flags().StringVar(&curveFile, "curve", "", "file of the type's own rest curve: per cent and volts, a line "+
		"for each point")
	c.Flags().StringVar(&previous, "previous", "", "an earlier survey of the same modules, for drift")
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return c
}

// ownCurve reads a rest curve from a file, nil for no file.
func ownCurve(file string, id chem.ID) (*chem.Curve, error) {
	if file == "" {
		return nil, nil
	}
	data, err := load(file)
	if err != nil {
		return nil, err
	}
	soc, volts, err := exchange.ReadCurve(data)
	if err != nil {
		return nil, in(file, err)
	}
	c, err := chem.OwnCurve(id, soc, volts)
	if err != nil {
		return nil, in(file, err)
	}
	return &c, nil
}

// traceCmd reads a log and says what it holds.
//
// In one piece: the flags and what is done with each stand side by side.
func traceCmd() *cobra.Command {
	var chemistry string
	var asJSON bool
	var opt trace.Options
	var read logfile.ParseOptions
	var columns []string
	var endedBy, cut string
	c := &cobra.Command{Use: "trace FILE", Short: "Capacity, energy and resistance from a log",
		Args: cobra.ExactArgs(1), RunE: func(c *cobra.Command, args []string) error {
			var err error
			if opt.Chemistry, err = chem.Parse(chemistry); err != nil {
				return err
			}
			if opt.RatedAh < 0 || opt.FloorVolts < 0 {
				return fmt.Errorf("--rated-ah and --floor: expected 0 or more")
			}
			data, passed, ok := mapped(args[0])
			if read.Passed = passed; !ok {
				if data, err = load(args[0]); err != nil {
					return err
				}
			}
			if read.Columns, err = assigned(columns); err != nil {
				return err
			}
			if err := endedByGroup(endedBy, &opt); err != nil {
				return err
			}
			if err := cutBetween(cut, &opt); err != nil {
				return err
			}
			log, err := exchange.ReadLog(c.Context(), data, read)
			if err != nil {
				return in(args[0], err)
			}
			r, err := trace.Analyse(log, opt)
			if err != nil {
				return in(args[0], err)
			}
			return answer(c, asJSON, r, r.Findings, func(w io.Writer) {
				fmt.Fprintf(w, "%s, current %s\n", numeral.Count(r.Samples, "sample"), r.Sign)
				for i, k := range log.Table.Kinds {
					if k != "ignore" {
						fmt.Fprintf(w, "  column %d %s is %s\n", i+1, log.Table.Names[i], k)
					}
				}
				for _, s := range r.Segments {
					fmt.Fprintf(w, "  %-9s %8.0f to %8.0f s  %8.3f Ah  %9.2f Wh  %.3f → %.3f V\n", s.Kind, s.StartS,
						s.EndS, s.Ah, s.Wh, s.FirstV, s.LastV)
				}
				if k := r.Capacity; k != nil {
					fmt.Fprintf(w, "capacity %.2f Ah ± %.2f, %.1f Wh, complete: %v\n", k.Ah, k.UncertaintyAh, k.Wh,
						k.Complete)
				}
				for i, k := range r.Cycles {
					fmt.Fprintf(w, "cycle %d  %.2f Ah  %.1f Wh  complete: %v\n", i+1, k.Ah, k.Wh, k.Complete)
				}
				for _, x := range r.Resistance {
					fmt.Fprintf(w, "resistance %.2f ± %.2f mΩ after %.0f s\n", x.MilliO, x.UMilliO, x.AfterS)
				}
				if r.LimitingGroup != nil {
					fmt.Fprintf(w, "group %d reached the floor first\n", *r.LimitingGroup)
				}
			})
		}}
	f := c.Flags()
	f.IntVar(&opt.Series, "series", 0, "groups in series, where the log has no group columns")
	f.StringVar(&chemistry, "chemistry", "auto", "lfp, nmc, lmo, nca, lto or auto")
	f.Float64Var(&opt.RatedAh, "rated-ah", 0, "rated capacity, Ah")
	f.Float64Var(&opt.FloorVolts, "floor", 0, "floor of a group, V")
	f.Float64Var(&opt.FullVolts, "full", 0, "the type's own full voltage of a group, V, at which a taper counts as "+
		"full")
	f.BoolVar(&opt.FlipCurrent, "flip-current", false, "turn the sign of the current round")
	f.StringArrayVar(&columns, "column", nil, "what a column holds, as NUMBER=KIND[:UNIT], such as 3=amps:mA, "+
		"5=group 2 or 4=ignore; may be repeated")
	f.StringVar(&read.DateOrder, "date-order", "", "dmy, mdy or ymd, where the dates can be read in more than one "+
		"order")
	f.Float64Var(&opt.DeadBandAmps, "dead-band", 0, "current below which a sample is a rest, A, instead of what the "+
		"noise of the rests asks for")
	f.BoolVar(&opt.Checked, "checked", false, "the current was measured with a second meter: a figure far from the "+
		"rating is no slip")
	f.StringVar(&cut, "cut", "", "the stretch whose discharge counts, as FROM:TO in seconds after the first sample")
	f.StringVar(&endedBy, "ended-by", "", "the group that was at its floor when the discharge ended, and its "+
		"volts, as GROUP:VOLTS, for a log without group voltages")
	f.BoolVar(&asJSON, "json", false, "print JSON")
	return c
}

// assigned reads --column flags.
func assigned(list []string) (map[int]logfile.Assign, error) {
	if len(list) == 0 {
		return nil, nil
	}
	out := map[int]logfile.Assign{}
	for _, s := range list {
		n, kind, ok := strings.Cut(s, "=")
		k, err := strconv.Atoi(strings.TrimSpace(n))
		if !ok || err != nil {
			return nil, fmt.Errorf("--column %q: expected NUMBER=KIND[:UNIT], such as 3=amps:mA", s)
		}
		if out[k], err = logfile.ParseAssign(kind); err != nil {
			return nil, fmt.Errorf("--column %w", err)
		}
	}
	return out, nil
}

// cutBetween reads --cut.
func cutBetween(s string, opt *trace.Options) error {
	if s == "" {
		return nil
	}
	from, to, ok := strings.Cut(s, ":")
	a, err1 := numeral.Parse(from)
	b, err2 := numeral.Parse(to)
	if !ok || err1 != nil || err2 != nil || a.Value < 0 || b.Value <= a.Value {
		return fmt.Errorf("--cut %q: expected FROM:TO in seconds, such as 3600:9000", s)
	}
	opt.CutFromS, opt.CutToS = a.Value, b.Value
	return nil
}

// endedByGroup reads --ended-by.
func endedByGroup(s string, opt *trace.Options) error {
	if s == "" {
		return nil
	}
	g, v, ok := strings.Cut(s, ":")
	n, err1 := strconv.Atoi(strings.TrimSpace(g))
	volts, err2 := numeral.Parse(v)
	if !ok || err1 != nil || err2 != nil || n < 1 || volts.Value <= 0 || volts.Value > 5 {
		return fmt.Errorf("--ended-by %q: expected GROUP:VOLTS, such as 3:3.01", s)
	}
	opt.EndedByGroup, opt.EndedAtVolts = n, volts.Value
	return nil
}

func matchCmd() *cobra.Command {
	var p match.Problem
	var style string
	var asJSON bool
	c := &cobra.Command{Use: "match FILE.csv --series S --parallel P", Short: "Put modules into positions from " +
		"module,capacity_ah", Args: cobra.ExactArgs(1), RunE: func(c *cobra.Command, args []string) error {
		data, err := load(args[0])
		if err != nil {
			return err
		}
		var ns []string
		if p.Modules, ns, err = exchange.ReadMatch(data); err != nil {
			return in(args[0], err)
		}
		notes(c, ns)
		p.Style = match.Style(style)
		begin := time.Now()
		r, err := match.Solve(p)
		if err != nil {
			return in(args[0], err)
		}
		out := struct {
			match.Result
			ElapsedMS int64 `json:"elapsed_ms"`
		}{r, time.Since(begin).Milliseconds()}
		return answer(c, asJSON, out, r.Findings, func(w io.Writer) {
			fmt.Fprintf(w, "%.2f Ah, bound %.2f, proved best: %v, as numbered %.2f, gain %.2f Ah\n", r.CapacityAh,
				r.BoundAh, r.ProvedBest, r.AsNumberedAh, r.GainAh())
			parts, word := r.Positions, "position"
			if r.Style == match.StringsFirst {
				parts, word = r.Strings, "string"
			}
			for i, part := range parts {
				fmt.Fprintf(w, "  %s %2d  %8.2f Ah  %s\n", word, i+1, r.PartsAh[i], strings.Join(part, " "))
			}
			if len(r.LeftOver) > 0 {
				fmt.Fprintf(w, "left over: %s\n", strings.Join(r.LeftOver, " "))
			}
		})
	}}
	f := c.Flags()
	f.IntVar(&p.Series, "series", 0, "positions in series")
	f.IntVar(&p.Parallel, "parallel", 0, "modules in parallel")
	f.StringVar(&style, "style", string(match.ParallelFirst), "parallel-first or strings-first")
	f.BoolVar(&asJSON, "json", false, "print JSON")
	return c
}

// wiringCmd checks a netlist.
func wiringCmd() *cobra.Command {
	var measured string
	var accuracy float64
	var asJSON bool
	c := &cobra.Command{Use: "wiring FILE.json", Short: "Check a bank's netlist; with --measured, its sense leads",
		Args: cobra.ExactArgs(1), RunE: func(c *cobra.Command, args []string) error {
			data, err := load(args[0])
			if err != nil {
				return err
			}
			n, ns, err := exchange.ReadWiring(data)
			if err != nil {
				return in(args[0], err)
			}
			notes(c, ns)
			r, err := wiring.CheckNetlist(n)
			if err != nil {
				return in(args[0], err)
			}
			out := struct {
				wiring.Report
				Sense []sense.Verdict `json:"sense_verdict,omitempty"`
			}{Report: r}
			all := r.Findings
			if measured != "" {
				if out.Sense, err = judgeSense(c, measured, n, r, accuracy); err != nil {
					return err
				}
				for _, v := range out.Sense {
					all = append(all, v.Findings...)
				}
			}
			return answer(c, asJSON, out, all, func(w io.Writer) {
				fmt.Fprintf(w, "%s in series, %d in parallel, %d shorts, groups unmonitored: %d; full %.1f V\n",
					numeral.Count(r.Series, "group"), r.Parallel, len(r.Shorts), len(r.Unmonitored), r.FullVolts)
				fmt.Fprintln(w, "checked: loops with every device closed and through earth, layout, polarity, "+
					"monitoring, fuses, ratings given, sense order")
				fmt.Fprintln(w, "not checked: joints, insulation, mechanical fixing, ratings not given, and "+
					"whether the bank is built as this file says")
				for _, s := range r.SenseTable {
					if s.ExpectedV != nil {
						fmt.Fprintf(w, "  %s input %2d  %-12s %8.3f V\n", s.BMS, s.Input, s.Point, *s.ExpectedV)
					}
				}
				for i, s := range r.BuildOrder {
					fmt.Fprintf(w, "  %2d  %-8s %s %.2f to %.2f V, then %.2f V within reach\n", i+1, s.Conductor,
						s.Measure, s.LowV, s.HighV, s.ExposedV)
				}
				for _, v := range out.Sense {
					fmt.Fprintf(w, "sense leads of %s: %s\n", v.BMS, v.Kind)
				}
			})
		}}
	f := c.Flags()
	f.StringVar(&measured, "measured", "", "file of bms,input,volts against the main negative; a fourth column "+
		"against with 0 for a reading against lead 0")
	f.Float64Var(&accuracy, "accuracy", 0, "accuracy of the meter, V")
	f.BoolVar(&asJSON, "json", false, "print JSON")
	return c
}

// judgeSense compares a file of measured sense leads with the table of every BMS.
func judgeSense(c *cobra.Command, file string, n netlist.Netlist, r wiring.Report, accuracy float64) ([]sense.Verdict,
	error) {
	data, err := load(file)
	if err != nil {
		return nil, err
	}
	ms, ns, err := exchange.ReadMeasured(data)
	if err != nil {
		return nil, in(file, err)
	}
	notes(c, ns)
	known := map[string]bool{}
	var out []sense.Verdict
	for _, b := range n.BMS {
		known[b.ID] = true
		v, err := sense.JudgeLeads(b.ID, r.Expected(b.ID), ms, accuracy)
		if err != nil {
			return nil, in(file, err)
		}
		out = append(out, v.Shown())
	}
	for _, m := range ms {
		if !known[m.BMS] {
			return nil, in(file, fmt.Errorf("BMS %q is not in the netlist", m.BMS))
		}
	}
	return out, nil
}
