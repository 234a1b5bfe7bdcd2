// Command circuits solves random cases of joined banks and shared loads in a circuit simulator, and keeps what it says
// beside the packages whose tests compare with it. The simulator is ngspice, from Debian's package of that name.
//
//	go run ./scripts/circuits
package main

import (
	"encoding/json"
	"fmt"
	"log"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"

	"pandrel/core/bank/join"
	"pandrel/core/bank/share"
	"pandrel/core/base/chem"
)

const cases = 60

// Joined is a case of joining with what the simulator says.
type Joined struct {
	Chemistry chem.ID
	Series    int
	Ah, SoC   []float64
	MOhm      []float64
	LinkMOhm  float64
	AtSeconds []float64
	Amps      [][]float64 // at each time, of each bank
	EndS      float64
	AhOut     []float64 // until then
}

// Shared is a case of sharing with what the simulator says: amps of each string at the start, with one string off at
// the current of the cut-off, and the charge left of each after some hours under the load.
type Shared struct {
	Bus           share.Bus
	StepMOhm      float64
	Series        int
	Ah, SoC, MOhm []float64
	LoadWatts     float64
	CutoffVolts   float64
	Amps          []float64
	Volts         float64
	WithoutFirst  []float64
	Hours         float64
	EndSoC        []float64
}

func main() {
	log.SetFlags(0)
	dir, err := os.MkdirTemp("", "circuits")
	if err != nil {
		log.Fatal(err)
	}
	defer func() { _ = os.RemoveAll(dir) }()
	r := rand.New(rand.NewPCG(2026, 11))
	var js []Joined
	var ss []Shared
	for range cases {
		js = append(js, joined(dir, r))
		ss = append(ss, shared(dir, r))
	}
	keep("core/bank/join/testdata/circuits.json", js)
	keep("core/bank/share/testdata/circuits.json", ss)
}

func keep(path string, v any) {
	b, err := json.MarshalIndent(v, "", " ")
	if err == nil {
		err = os.MkdirAll(filepath.Dir(path), 0o755)
	}
	if err == nil {
		err = os.WriteFile(path, append(b, '\n'), 0o644)
	}
	if err != nil {
		log.Fatal(err)
	}
}

// table is the rest curve as a piecewise linear one, fine enough that the corners do not matter.
func table(id chem.ID, node string) string {
	k, err := chem.Lookup(id)
	if err != nil {
		log.Fatal(err)
	}
	var b strings.Builder
	fmt.Fprintf(&b, "pwl(V(%s)", node)
	for i := range 1001 {
		x := float64(i) / 1000
		fmt.Fprintf(&b, ",%.6g,%.9g", x, k.Curve.Volts(x))
	}
	return b.String() + ")"
}

// round keeps the numbers that a case is made of short, so that the kept file says all of them.
func round(v float64) float64 {
	out, _ := strconv.ParseFloat(strconv.FormatFloat(v, 'g', 5, 64), 64)
	return out
}

func joined(dir string, r *rand.Rand) Joined {
	c := Joined{Chemistry: chem.All()[r.IntN(5)].ID, Series: []int{4, 7, 8, 14, 16}[r.IntN(5)],
		LinkMOhm: round(0.2 + 8*r.Float64()), AtSeconds: []float64{0.01, 1, 10, 60, 600, 3600}}
	in := join.Input{LinkMOhm: c.LinkMOhm}
	for i := range 2 + r.IntN(3) {
		ah, soc, mohm := round(10+300*r.Float64()), round(r.Float64()), round(1+30*r.Float64())
		c.Ah, c.SoC, c.MOhm = append(c.Ah, ah), append(c.SoC, soc), append(c.MOhm, mohm)
		in.Banks = append(in.Banks, join.Bank{ID: fmt.Sprint(i), Chemistry: c.Chemistry, Series: c.Series, Ah: ah,
			SoC: &soc, MOhm10s: mohm})
	}
	res, err := join.Solve(in)
	if err != nil {
		log.Fatal(err)
	}
	c.EndS = max(4000, res.EndSeconds)
	var net strings.Builder
	net.WriteString("joined banks\n")
	for i := range c.Ah {
		r0 := c.MOhm[i] / 1.13 / 1000
		r1 := 0.6 * r0
		fmt.Fprintf(&net, "Cq%d q%d 0 %g ic=%g\nBq%d q%d 0 I=I(Vs%d)\n", i, i, c.Ah[i]*3600, c.SoC[i], i, i, i)
		fmt.Fprintf(&net, "Be%d e%d 0 V=%d*%s\nVs%d e%d a%d 0\n", i, i, c.Series, table(c.Chemistry, fmt.Sprintf("q%d",
			i)), i, i, i)
		fmt.Fprintf(&net, "Ra%d a%d b%d %g\nRb%d b%d c%d %g\nCb%d b%d c%d %g ic=0\nRl%d c%d bar %g\n", i, i, i, r0, i,
			i, i, r1, i, i, i, 40/r1, i, i, c.LinkMOhm/2000)
	}
	net.WriteString(".options reltol=1e-6 abstol=1e-9 vntol=1e-9 chgtol=1e-16 method=gear maxord=2\n")
	fmt.Fprintf(&net, ".tran 0.01 %g 0 %g uic\n", c.EndS, c.EndS/2000)
	for k, t := range c.AtSeconds {
		for i := range c.Ah {
			fmt.Fprintf(&net, ".meas tran i%d_%d find I(Vs%d) at=%g\n", i, k, i, t)
		}
	}
	for i := range c.Ah {
		fmt.Fprintf(&net, ".meas tran q%d_e find V(q%d) at=%g\n", i, i, c.EndS*0.9999)
	}
	net.WriteString(".end\n")
	got := run(dir, net.String())
	for k := range c.AtSeconds {
		var row []float64
		for i := range c.Ah {
			row = append(row, got[fmt.Sprintf("i%d_%d", i, k)])
		}
		c.Amps = append(c.Amps, row)
	}
	for i := range c.Ah {
		c.AhOut = append(c.AhOut, (c.SoC[i]-got[fmt.Sprintf("q%d_e", i)])*c.Ah[i])
	}
	return c
}

func shared(dir string, r *rand.Rand) Shared {
	c := Shared{Bus: share.Buses()[r.IntN(4)], StepMOhm: round(0.05 + r.Float64()), Series: 16,
		LoadWatts: round(800 + 4000*r.Float64()), CutoffVolts: 44}
	for range 2 + r.IntN(5) {
		c.Ah, c.SoC = append(c.Ah, round(50+200*r.Float64())), append(c.SoC, round(0.5+0.4*r.Float64()))
		c.MOhm = append(c.MOhm, round(5+20*r.Float64()))
	}
	c.Hours = round(0.2 + 0.3*r.Float64())
	strings0 := func(skip int, load string) string {
		var b strings.Builder
		b.WriteString("strings on bars\n")
		n := len(c.Ah)
		for i := range n {
			fmt.Fprintf(&b, "Cq%d q%d 0 %g ic=%g\nBq%d q%d 0 I=I(Vs%d)\n", i, i, c.Ah[i]*3600, c.SoC[i], i, i, i)
			fmt.Fprintf(&b, "Be%d e%d m%d V=%d*%s\nVs%d e%d a%d 0\n", i, i, i, c.Series, table(chem.LFP,
				fmt.Sprintf("q%d", i)), i, i, i)
			ohms := c.MOhm[i] / 1000
			if i == skip {
				ohms = 1e9
			}
			fmt.Fprintf(&b, "Rs%d a%d p%d %g\n", i, i, i, ohms)
		}
		bars(&b, c, n)
		b.WriteString(load)
		return b.String()
	}
	opts := ".options reltol=1e-7 abstol=1e-9 vntol=1e-10 method=gear\n"
	var meas strings.Builder
	for i := range c.Ah {
		fmt.Fprintf(&meas, ".meas tran i%d find I(Vs%d) at=0.02\n", i, i)
	}
	end := c.Hours * 3600
	power := fmt.Sprintf("Bl plus 0 I=%g/max(V(plus),1)\n", c.LoadWatts)
	all := meas.String() + ".meas tran v find V(plus) at=0.02\n"
	for i := range c.Ah {
		all += fmt.Sprintf(".meas tran s%d find V(q%d) at=%g\n", i, i, end*0.9999)
	}
	got := run(dir, strings0(-1, power)+opts+fmt.Sprintf(".tran 0.01 %g 0 %g uic\n", end, end/1000)+all+".end\n")
	c.Volts = got["v"]
	for i := range c.Ah {
		c.Amps, c.EndSoC = append(c.Amps, got[fmt.Sprintf("i%d", i)]), append(c.EndSoC, got[fmt.Sprintf("s%d", i)])
	}
	fixed := fmt.Sprintf("Il plus 0 %g\n", c.LoadWatts/c.CutoffVolts)
	got = run(dir, strings0(0, fixed)+opts+".tran 0.01 1 0 0.01 uic\n"+meas.String()+".end\n")
	for i := range c.Ah {
		c.WithoutFirst = append(c.WithoutFirst, got[fmt.Sprintf("i%d", i)])
	}
	return c
}

// bars writes the resistances of both bars; plus and 0 are where the load is.
func bars(b *strings.Builder, c Shared, n int) {
	half := c.StepMOhm / 2000
	for _, side := range []struct{ node, load string }{{"p", "plus"}, {"m", "0"}} {
		if c.Bus == share.Centre {
			for i := range n {
				fmt.Fprintf(b, "Vc%s%d %s%d %s 0\n", side.node, i, side.node, i, side.load)
			}
			continue
		}
		for i := range n - 1 { // each step in two halves, so that its middle is a node
			fmt.Fprintf(b, "Rh%s%d %s%d h%s%d %g\nRk%s%d h%s%d %s%d %g\n", side.node, i, side.node, i, side.node, i,
				half, side.node, i, side.node, i, side.node, i+1, half)
		}
		tap := side.node + "0"
		switch {
		case c.Bus == share.Diagonal && side.node == "m":
			tap = fmt.Sprintf("m%d", n-1)
		case c.Bus == share.Middle && n%2 == 1:
			tap = fmt.Sprintf("%s%d", side.node, n/2)
		case c.Bus == share.Middle:
			tap = fmt.Sprintf("h%s%d", side.node, n/2-1)
		}
		fmt.Fprintf(b, "Vt%s %s %s 0\n", side.node, tap, side.load)
	}
}

var measured = regexp.MustCompile(`(?m)^(\w+)\s*=\s*([-+0-9.eE]+)`)

// run solves a netlist and returns what it measured.
func run(dir, net string) map[string]float64 {
	path := filepath.Join(dir, "net.cir")
	if err := os.WriteFile(path, []byte(net), 0o600); err != nil {
		log.Fatal(err)
	}
	out, err := exec.Command("ngspice", "-b", path).CombinedOutput()
	got := map[string]float64{}
	for _, m := range measured.FindAllStringSubmatch(string(out), -1) {
		v, err := strconv.ParseFloat(m[2], 64)
		if err == nil {
			got[m[1]] = v
		}
	}
	if len(got) == 0 {
		log.Fatalf("%v\n%s", err, out)
	}
	return got
}
