package main

import (
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"pandrel/core/bank/balance"
	"pandrel/core/bank/join"
	"pandrel/core/bank/share"
	"pandrel/core/bank/sizing"
	bankvolts "pandrel/core/bank/volts"
	bankwindow "pandrel/core/bank/window"
	"pandrel/core/base/ask"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/working"
	"pandrel/exchange"
)

// fileCmd is a command that reads one file and answers from it.
func fileCmd(use, short string, run func(c *cobra.Command, data []byte, asJSON bool) error) *cobra.Command {
	var asJSON bool
	c := &cobra.Command{Use: use, Short: short, Args: cobra.ExactArgs(1), RunE: func(c *cobra.Command,
		args []string) error {
		data, err := load(args[0])
		if err != nil {
			return err
		}
		err = run(c, data, asJSON)
		if err == nil || errors.As(err, new(blocked)) {
			return err
		}
		return in(args[0], err)
	}}
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return c
}

func joinCmd() *cobra.Command {
	return fileCmd("join FILE.json", "What flows when banks or strings are joined, and whether they may be",
		func(c *cobra.Command, data []byte, asJSON bool) error {
			in, ns, err := exchange.ReadJoin(data)
			if err != nil {
				return err
			}
			notes(c, ns)
			r, err := join.Solve(in)
			if err != nil {
				return err
			}
			return answer(c, asJSON, r, r.Findings, func(w io.Writer) {
				fmt.Fprintf(w, "%.1f A at first, %.1f A after a minute, %.2f Ah moved, ends at %.2f V, %.0f J in "+
					"the link\n", r.FirstAmps, r.At(60), r.AhMoved, r.EndVolts, r.HeatJ)
				if p := r.Pass; p != nil {
					fmt.Fprintf(w, "would pass at %.0f mV, or %s charged to %.2f V first, or through %.3f Ω (%.0f W "+
						"at first)\n",
						p.DiffVolts*1000, p.LowerID, p.ChargeToVolts, p.ResistorMOhm/1000, p.ResistorWatts)
				}
				fmt.Fprintln(w, "checked: charge and discharge limits, BMS, fuse and cable as given, series count, "+
					"chemistry")
				fmt.Fprintln(w, "not checked: single groups inside a bank, the spark of the moment, joints")
			})
		})
}

func shareCmd() *cobra.Command {
	return fileCmd("share FILE.json", "How strings share a load, and which trips next when one trips",
		func(c *cobra.Command, data []byte, asJSON bool) error {
			in, ns, err := exchange.ReadShare(data)
			if err != nil {
				return err
			}
			notes(c, ns)
			r, err := share.Solve(in)
			if err != nil {
				return err
			}
			return answer(c, asJSON, r, r.Findings, func(w io.Writer) {
				fmt.Fprintf(w, "%.2f V at the load\n", r.Volts)
				for _, s := range in.Strings {
					fmt.Fprintf(w, "  %-12s %7.2f A\n", s.ID, r.Amps[s.ID])
				}
				for _, t := range r.AfterTrip {
					fmt.Fprintf(w, "when %s trips: %v follow, carries the load: %v\n", t.Tripped, t.Then, t.Carries)
				}
				fmt.Fprintf(w, "%.3f Ah go round once the load stops\n", r.CirculatingAh)
			})
		})
}

// sizeFlags is what the command size is told.
type sizeFlags struct {
	watts, efficiency, volts, amps, length, drop, ambient float64
	mm2, fullV, mOhm, ohmic, place                        float64
	metal, lies                                           string
	posts                                                 bool
}

// sized is what the command size answers.
type sized struct {
	LoadAmps   float64            `json:"load_a"`
	DesignAmps float64            `json:"design_a"`
	Cable      sizing.Sized       `json:"cable"`
	Fuse       *sizing.FuseSized  `json:"fuse"`
	Findings   []finding.Finding  `json:"findings"`
	Lug        map[string]float64 `json:"lug"`
}

func (f sizeFlags) size() (out sized, err error) {
	out.LoadAmps = f.amps
	if f.amps == 0 {
		if f.watts <= 0 || f.volts <= 0 || !(f.efficiency > 0 && f.efficiency <= 1) {
			return out, fmt.Errorf("expected --amps, or --watts with --volts at the cut-off and an --efficiency of 0 " +
				"to 1")
		}
		out.LoadAmps = bankwindow.LoadAmps(f.watts, f.efficiency, f.volts)
	}
	cable := sizing.Cable{Amps: out.LoadAmps, OneWayM: f.length, Volts: f.volts, DropShare: f.drop / 100,
		Metal: sizing.Metal(f.metal), Place: sizing.Place(f.lies), AtPosts: f.posts, AmbientC: f.ambient}
	if f.mm2 > 0 {
		out.Cable, err = sizing.Of(cable, f.mm2)
	} else {
		out.Cable, err = sizing.Choose(cable)
	}
	if err != nil {
		return out, err
	}
	out.DesignAmps, out.Findings = out.Cable.DesignAmps, []finding.Finding{}
	low, high := sizing.RingHole(sizing.StudFor(out.Cable.MM2))
	out.Lug = map[string]float64{"stud_mm": sizing.StudFor(out.Cable.MM2), "hole_low_mm": low, "hole_high_mm": high}
	if f.fullV > 0 {
		s, err := sizing.Fuse(sizing.FuseNeed{Amps: out.LoadAmps, ConductorAmps: out.Cable.BearsAmps,
			FullVolts: f.fullV, DCMOhm: f.mOhm, MOhm: f.ohmic, PlaceM: f.place})
		if err != nil {
			return out, err
		}
		out.Fuse, out.Findings = &s, s.Findings
	}
	return out, nil
}

func sizeCmd() *cobra.Command {
	f := sizeFlags{}
	var asJSON bool
	c := &cobra.Command{Use: "size", Short: "Load current, cable, lug and fuse", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, args []string) error {
			out, err := f.size()
			if err != nil {
				return err
			}
			return answer(c, asJSON, out, out.Findings, func(w io.Writer) {
				s := out.Cable
				fmt.Fprintf(w, "%.1f A, design for %.1f A\n", out.LoadAmps, out.DesignAmps)
				fmt.Fprintf(w, "cable %.4g mm² (AWG %s): bears %.0f A, loses %.3f V (%.2f %%), %.1f W, %.0f K warmer\n",
					s.MM2, s.AWG, s.BearsAmps, s.DropVolts, s.DropShare*100, s.LostWatts, s.RiseK)
				if out.Fuse != nil {
					fmt.Fprintf(w, "fuse %.4g A, must break %.0f A at %.4g V: %s\n", out.Fuse.RatingAmps,
						out.Fuse.ProspectiveA, f.fullV, strings.Join(out.Fuse.Kinds, " or "))
				}
				fmt.Fprintln(w, "check your local code, and the maker's data")
			})
		}}
	for _, x := range []struct {
		into *float64
		name string
		def  float64
		help string
	}{{&f.watts, "watts", 0, "load, W"}, {&f.efficiency, "efficiency", 0.9, "of the device, 0 to 1"}, {&f.volts,
		"volts", 0, "at the cut-off, V"}, {&f.amps, "amps", 0, "the larger of load and charge, instead of watts"},
		{&f.length, "length-m", 1, "one way, m; the current goes it twice"}, {&f.drop, "drop-pct", 3,
			"drop that is allowed"}, {&f.ambient, "ambient-c", 30, "around the cable, °C"}, {&f.mm2, "mm2", 0,
			"a section in hand"}, {&f.fullV, "full-volts", 0, "of the bank at full charge: sizes the fuse too"},
		{&f.mOhm, "mohm", 0, "DC resistance of the bank after 10 s"}, {&f.ohmic, "ohmic-mohm", 0, "its ohmic " +
			"resistance"}, {&f.place, "fuse-m", 0, "from the cells to the fuse, m"}} {
		c.Flags().Float64Var(x.into, x.name, x.def, x.help)
	}
	c.Flags().StringVar(&f.metal, "metal", "copper", "copper or aluminium")
	c.Flags().StringVar(&f.lies, "place", "free-air", "free-air or conduit")
	c.Flags().BoolVar(&f.posts, "at-posts", true, "ends on cell posts: the 60 °C column")
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return c
}

// windowCmd turns a window of charge into volts, or one of volts into charge.
func windowCmd() *cobra.Command {
	var chemistry, curveFile string
	var asJSON bool
	b := bankvolts.Bank{RestMin: chem.FullRestMinutes}
	var low, high, lowV, highV, at float64
	c := &cobra.Command{Use: "window", Short: "A window of charge in volts, and the other way round; a voltage " +
		"in charge", Args: cobra.NoArgs, RunE: func(c *cobra.Command, args []string) error {
		id, err := chem.Parse(chemistry)
		if err != nil {
			return err
		}
		b.Chemistry = id
		if b.Curve, err = ownCurve(curveFile, id); err != nil {
			return err
		}
		if at > 0 {
			st, err := bankvolts.FromVolts(b, at)
			if err != nil {
				return err
			}
			fs := bankvolts.JudgeState(b, st)
			out := struct {
				bankvolts.State
				Findings []finding.Finding `json:"findings"`
			}{st, append([]finding.Finding{}, fs...)}
			return answer(c, asJSON, out, fs, func(w io.Writer) {
				fmt.Fprintf(w, "%.2f V is %.3f V a group: %.0f to %.0f %%\n", at, st.GroupVolts, st.SoCLow*100,
					st.SoCHigh*100)
			})
		}
		var r bankvolts.WindowResult
		if lowV > 0 || highV > 0 {
			r, err = bankvolts.WindowOfVolts(b, lowV, highV)
		} else {
			r, err = bankvolts.Window(b, low/100, high/100)
		}
		if err != nil {
			return err
		}
		return answer(c, asJSON, r, nil, func(w io.Writer) { sayWindow(w, r, b.Ah) })
	}}
	f := c.Flags()
	f.StringVar(&chemistry, "chemistry", "", "lfp, nmc, lmo, nca or lto")
	f.StringVar(&curveFile, "curve", "", "file of the type's own rest curve")
	f.IntVar(&b.Series, "series", 1, "groups in series")
	f.Float64Var(&b.Ah, "ah", 0, "capacity, Ah")
	f.Float64Var(&b.MOhm10s, "mohm", 0, "resistance of the whole after 10 s, mΩ")
	f.Float64Var(&b.Amps, "amps", 0, "current while the volts were read; positive discharges")
	f.Float64Var(&low, "low", 20, "from, per cent")
	f.Float64Var(&high, "high", 95, "to, per cent")
	f.Float64Var(&lowV, "low-v", 0, "from, volts of the whole at rest")
	f.Float64Var(&highV, "high-v", 0, "to, volts of the whole at rest")
	f.Float64Var(&at, "volts", 0, "one voltage of the whole: which charge is that?")
	f.BoolVar(&asJSON, "json", false, "print JSON")
	return c
}

func sayWindow(w io.Writer, r bankvolts.WindowResult, ah float64) {
	fmt.Fprintf(w, "%.1f to %.1f %%: %.3f to %.3f V at rest, %.4f to %.4f V a group", r.Low.SoC*100,
		r.High.SoC*100, r.Low.RestVolts, r.High.RestVolts, r.Low.GroupVolts, r.High.GroupVolts)
	if ah > 0 {
		fmt.Fprintf(w, "; %.2f kWh of %.2f kWh", r.UsableKWh, r.WholeKWh)
	}
	fmt.Fprintf(w, "\nusual charger setting %.2f V, charge limit %.2f V, floor %.2f V\n", r.ChargerV, r.LimitV,
		r.FloorV)
}

// balanceCmd says how long balancing takes.
func balanceCmd() *cobra.Command {
	w := balance.Work{}
	c := fileCmd("balance FILE.csv", "How long balancing takes, from group,missing_ah or group,offset_ah",
		func(c *cobra.Command, data []byte, asJSON bool) error {
			missing, ns, err := exchange.ReadMissing(data)
			if err != nil {
				return err
			}
			notes(c, ns)
			w.MissingAh = missing
			p, err := balance.Plan(w)
			if err != nil {
				return err
			}
			return answer(c, asJSON, p, p.Findings, func(o io.Writer) {
				fmt.Fprintf(o, "%s\nworst %.2f Ah, all %.2f Ah; by the BMS %.1f days, by hand %.1f h, in parallel "+
					"%.1f h\n", p.Advice, p.WorstAh, p.TotalAh, p.BMSDays, p.HandHours, p.ParallelH)
			})
		})
	f := c.Flags()
	f.Float64Var(&w.Ah, "ah", 0, "capacity of a group, Ah")
	f.Float64Var(&w.BMSAmps, "bms-a", 0, "balance current, A")
	f.Float64Var(&w.Duty, "duty", 0, "share of the day above balance start, 0 for 0.08")
	f.BoolVar(&w.Active, "active", false, "the BMS moves charge instead of burning it")
	f.BoolVar(&w.Alternating, "alternating", false, "odd and even groups take turns")
	f.Float64Var(&w.ChargerAmps, "charger-a", 0, "charger for one group by hand, A")
	f.Float64Var(&w.TaperHours, "taper-h", 0, "its taper, 0 for half an hour")
	f.Float64Var(&w.SupplyAmps, "supply-a", 0, "supply for all groups in parallel, A")
	return c
}

// workingCmd answers any working of the working.
func workingCmd() *cobra.Command {
	var asJSON bool
	c := &cobra.Command{Use: "working [KEY [name=value …]]", Short: "Any working of the shelf; without a key, the " +
		"list of them", RunE: func(c *cobra.Command, args []string) error {
		if len(args) == 0 {
			for _, w := range working.All() {
				fmt.Fprintf(c.OutOrStdout(), "%-10s %s\n", w.Key, w.Question)
			}
			return nil
		}
		w, ok := working.ByKey(args[0])
		if !ok {
			return fmt.Errorf("working %q: expected one of those that 'pandrel working' lists", args[0])
		}
		v, from := w.Open(), ask.Sources(nil)
		if len(args) == 1 {
			v = w.Example()
			from = w.Of(v, true)
			fmt.Fprintln(c.ErrOrStderr(), "an example: none of its numbers is yours")
		}
		for _, a := range args[1:] {
			name, value, eq := strings.Cut(a, "=")
			if _, known := v[name]; !known || !eq {
				var names []string
				for _, f := range w.Fields {
					names = append(names, f.Key)
				}
				return fmt.Errorf("%q: expected name=value with a name of %s", a, strings.Join(names, ", "))
			}
			v[name] = strings.ReplaceAll(value, `\n`, "\n")
		}
		if from == nil {
			from = w.Of(v, false)
		}
		a, err := w.Solve(v, from)
		if err != nil {
			return err
		}
		return answer(c, asJSON, a, a.Findings, func(o io.Writer) { exchange.WriteAnswer(o, w, a) })
	}}
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return c
}
