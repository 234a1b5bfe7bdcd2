package demo

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"

	"golang.org/x/image/draw"
	"golang.org/x/image/font"
	"golang.org/x/image/font/basicfont"
	"golang.org/x/image/math/fixed"

	"pandrel/core/bank/mount"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/module/face"
	"pandrel/core/module/isolation"
	"pandrel/core/module/lead"
	"pandrel/core/module/look"
	"pandrel/core/module/teardown"
	"pandrel/core/module/variant"
	"pandrel/core/procedure/standing"
	"pandrel/shop/kernel"
	"pandrel/shop/measure"
	"pandrel/shop/procedure"
	"pandrel/shop/receive"
	"pandrel/shop/record"
	"pandrel/shop/steps"
	"pandrel/shop/types"
)

// typeVersion returns a type's version, for a change to it.
func (h *hall) typeVersion(id int64) int {
	t, err := h.s.Type(h.ctx, id)
	if h.err == nil {
		h.err = err
	}
	return t.Version
}

// placed puts a type's face as it is on the case, and where to look on it.
func (h *hall) placed(id int64, f face.Face, thicknessMM float64, where map[string]string) {
	h.do(func() error {
		_, err := h.s.Types.SaveFace(h.ctx, id, h.typeVersion(id), f, h.token())
		return err
	})
	notes := map[string]look.Note{}
	for k, w := range where {
		notes[k] = look.Note{Where: w, Skip: w == "–"}
	}
	h.do(func() error {
		_, err := h.s.Types.SaveLooks(h.ctx, id, types.LooksInput{Version: h.typeVersion(id), Notes: notes,
			ThicknessMM: thicknessMM, Token: h.token()})
		return err
	})
}

// sized says what a module of a type measures, mm across, down and high, and its thread.
func (h *hall) sized(id int64, w, d, high float64, thread string, m mount.Mount) {
	h.do(func() error {
		_, err := h.s.Types.SaveSize(h.ctx, id, types.SizeInput{Version: h.typeVersion(id), WidthMM: w, DepthMM: d,
			HeightMM: high, Thread: thread, Mount: &m, Token: h.token()})
		return err
	})
}

func tugFace() face.Face {
	return face.Face{Points: []face.Point{{Name: "P-", Kind: face.Post, X: 12, Y: 30}, {Name: "P+", Kind: face.Post,
		X: 88, Y: 30}}, Connectors: []face.Connector{{Name: "tap connector", Pins: face.Pins("T", 5), Rows: 1,
		Order: face.ByRow, Key: face.KeyFirst, X: 50, Y: 72}}}
}

func trikeFace() face.Face {
	return face.Face{Points: []face.Point{{Name: "A-", Kind: face.Tab, X: 6, Y: 50}, {Name: "A+", Kind: face.Tab, X: 94,
		Y: 50}}, Connectors: []face.Connector{{Name: "connector X", Pins: face.Pins("X", 10), Rows: 2,
		Order: face.ByColumn, Key: face.KeyMiddle, X: 50, Y: 50}}}
}

func sweepFace() face.Face {
	return face.Face{Points: []face.Point{{Name: "P1", Kind: face.Stud, X: 15, Y: 50},
		{Name: "P2", Kind: face.Stud, X: 50, Y: 30}, {Name: "P3", Kind: face.Stud, X: 85, Y: 50}}}
}

// measure looks at a module with a caliper, and with a camera where a picture is given.
func (h *hall) measure(number string, mm float64, pictures [][]byte, signs ...string) {
	h.do(func() error {
		_, err := h.s.Receive.RecordInspection(kernel.
			By(h.ctx, "MO"), receive.InspectInput{Number: number, Signs: signs,
			ThicknessMM: mm, Pictures: pictures, Token: h.token()})
		return err
	})
}

// lidPicture is a module from above with its lid: ten screws, two of them longer.
func lidPicture() []byte {
	m := sheet(900, 520, color.RGBA{206, 200, 186, 255})
	draw.Draw(m, image.Rect(90, 90, 810, 430), image.NewUniform(color.RGBA{70, 84, 88, 255}), image.Point{}, draw.Src)
	for i := range 5 {
		for k, y := range []int{120, 400} {
			c := color.RGBA{188, 194, 196, 255}
			if i == 4*k {
				c = color.RGBA{196, 120, 60, 255} // the longer ones, marked
			}
			x := 130 + 160*i
			for dy := -12; dy <= 12; dy++ {
				for dx := -12; dx <= 12; dx++ {
					if dx*dx+dy*dy <= 144 {
						m.SetRGBA(x+dx, y+dy, c)
					}
				}
			}
		}
	}
	return encode(m)
}

// opened writes down how a trike module is opened, and opens K-128, of which a spacer went missing.
func (h *hall) opened(trike int64) {
	var lid int64
	h.do(func() error {
		p, err := h.s.Record.AddPicture(kernel.
			By(h.ctx, "MO"), record.PictureInput{Kind: record.PictureStep, TypeID: trike,
			Caption: "lid: the two longer screws", Data: lidPicture(), Token: h.token()})
		lid = p.ID
		return err
	})
	h.do(func() error {
		return h.s.Measure.SaveTeardown(kernel.By(h.ctx, "MO"), measure.TeardownInput{TypeID: trike, Token: h.token(),
			Steps: []teardown.Step{
				{Do: "Unclip the connector cover", Tool: "by hand", Trap: "its hook breaks when it is cold",
					Keep: "connector cover", KeepCount: 1},
				{Do: "Undo the lid, from the middle outwards", Fastener: "M4 × 12 screw", Count: 10, Tool: "3 mm hex",
					Trap: "two at the ends are longer: keep them apart", Keep: "lid", KeepCount: 1, Picture: lid},
				{Do: "Lift the sense board off its pins", Fastener: "M3 × 6 screw", Count: 4, Tool: "2 mm hex, " +
					"insulated", Trap: "each pin is live: one hand", Keep: "sense board", KeepCount: 1},
				{Do: "Take the end spacers out", Tool: "by hand", Keep: "end spacer", KeepCount: 2},
			}})
	})
	step := func(key, way string, fasteners, parts int) {
		h.do(func() error {
			return h.s.Measure.RecordTeardownStep(kernel.
				By(h.ctx, "MO"), measure.TeardownStepInput{Number: "K-128", Step: key,
				Way: way, Fasteners: fasteners, Parts: parts, Token: h.token()})
		})
	}
	step("s1", teardown.Off, 0, 1)
	step("s2", teardown.Off, 10, 1)
	step("s3", teardown.Off, 4, 1)
	step("s4", teardown.Off, 0, 2)
	step("s4", teardown.On, 0, 1)
}

// leads writes down two leads for the trike modules: one that passed both checks, and one whose wires
// to inputs 3 and 4 are swapped.
func (h *hall) leads(trike int64) {
	t, err := h.s.Type(h.ctx, trike)
	if err != nil {
		h.err = err
		return
	}
	made := func(name, note string) (id int64, spec lead.Lead) {
		h.do(func() error {
			a, _, err := h.s.Measure.ProposeLead(h.ctx, t)
			if err != nil {
				return err
			}
			spec = a
			row, err := h.s.Measure.SaveLead(h.ctx, measure.LeadInput{Name: name, TypeID: trike, Spec: a, Note: note,
				Token: h.token()})
			id = row.ID
			return err
		})
		return id, spec
	}
	touch := func(id int64, a lead.Lead, swap bool) {
		h.do(func() error {
			in := measure.LeadCheckInput{ID: id, Kind: measure.CheckContinuity, Token: h.token()}
			for _, w := range a.Wires {
				k := w.Input
				if swap && (k == 3 || k == 4) {
					k = 7 - k
				}
				in.Touched = append(in.Touched, lead.Touch{Point: w.Point, Inputs: []int{k}})
			}
			_, err := h.s.Measure.RecordLeadCheck(h.ctx, in)
			return err
		})
	}
	good, spec := made("7A", "grey, 40 cm, to the cell monitor")
	touch(good, spec, false)
	h.do(func() error {
		in := measure.LeadCheckInput{ID: good, Kind: measure.CheckVolts, Module: "K-103", Token: h.token()}
		sum := 0.0
		in.Volts = append(in.Volts, record.TypedVolts{})
		for i, v := range h.mods["K-103"].RestVolts() {
			sum += v
			in.Volts = append(in.Volts, record.TypedVolts{Group: i + 1, Volts: math.Round(sum*1000) / 1000})
		}
		_, err := h.s.Measure.RecordLeadCheck(h.ctx, in)
		return err
	})
	bad, spec := made("7B", "made from the same loom")
	touch(bad, spec, true)
}

// clips writes down a lead for the tugs that takes their ends by clips, since the end pins of that
// loom are cut off. It waits for its check.
func (h *hall) clips(tug int64) {
	h.do(func() error {
		a := lead.Lead{Inputs: 5, Mates: []lead.Mate{{Name: "5-pin connector", Points: []string{"T2", "T3",
			"T4"}}, {Name: "clip on P-", Clip: true, Points: []string{"P-"}}, {Name: "clip on P+", Clip: true,
			Points: []string{"P+"}}}, Wires: []lead.Wire{{Point: "P-", Input: 0}, {Point: "T2", Input: 1},
			{Point: "T3", Input: 2}, {Point: "T4", Input: 3}, {Point: "P+", Input: 4}}}
		_, err := h.s.Measure.SaveLead(h.ctx, measure.LeadInput{Name: "4A", TypeID: tug, Spec: a,
			Note: "end pins cut off, clips with fuses", Token: h.token()})
		return err
	})
}

// joined says how the tug's cells are joined: bolted in the middle, where it can be cut in two, welded beside it.
func (h *hall) joined(tug int64) {
	h.do(func() error {
		_, err := h.s.Types.SaveInside(h.ctx, tug, h.typeVersion(tug), variant.Told{Elements: 1,
			Joints: []string{variant.Welded, variant.Bolted, variant.Welded}}, h.token())
		return err
	})
}

// ownCurve gives the trikes the rest curve of a slow discharge.
func (h *hall) ownCurve(trike int64) {
	h.do(func() error {
		_, err := h.s.Types.SaveCurve(h.ctx, trike, h.typeVersion(trike), chem.Points{
			SoCPct: []float64{0, 5, 10, 20, 30, 40, 50, 60, 70, 80, 90, 95, 100},
			Volts: []float64{3.190, 3.386, 3.466, 3.555, 3.604, 3.642, 3.693, 3.786, 3.890, 3.994, 4.076, 4.119,
				4.186},
			Source: "slow discharge of K-104 at C/25, points after an hour of rest, AK"}, h.token())
		return err
	})
}

// screen keeps a photograph of an instrument's screen with what it showed for a module. The second
// module gets the very same picture, as happens.
func (h *hall) screen(number, again string) {
	var lines []string
	for i, v := range h.mods[number].RestVolts() {
		lines = append(lines, fmt.Sprintf("%d  %.3f V", i+1, v))
	}
	data := screenPicture(lines)
	for _, n := range []string{number, again} {
		h.do(func() error {
			_, err := h.s.Record.AddPicture(kernel.
				By(h.ctx, "MO"), record.PictureInput{Kind: record.PictureScreen, Module: n,
				Caption: "balance charger, left bench", Data: data, Token: h.token()})
			return err
		})
	}
}

// ownersBank is the gauge hut's old bank, taken out of work for a survey and not yet back.
func (h *hall) ownersBank() {
	var id int64
	h.do(func() error {
		row, err := h.s.Procedure.SaveStanding(h.ctx, procedure.StandingInput{Name: "Gauge hut, old bank",
			Owner: "River gauge hut", Note: "two strings, built by somebody else five years ago", Token: h.token(),
			Bank: standing.Bank{NominalVolts: 24, FullVolts: 28.8, Strings: 2, Solar: true, Plug: true,
				CapacitanceMF: 4.7, PrechargeOhms: 47}})
		id = row.ID
		return err
	})
	step := func(in steps.Input) {
		h.do(func() error {
			in.Token = h.token()
			_, err := h.s.Procedure.RecordStep(h.ctx, procedure.Standing, id, in)
			return err
		})
	}
	for _, k := range []string{"owner", "person", "equipment", "meter", "loads", "solar"} {
		step(steps.Input{Step: k, Confirm: true})
	}
	step(overridden())
	step(steps.Input{Step: "strings", Confirm: true})
	step(steps.Input{Step: "main", Confirm: true})
	step(steps.Input{Step: "wait", Reading: finding.Of(11.8)}) // too early
	step(steps.Input{Step: "wait", Reading: finding.Of(0.4)})
	step(steps.Input{Step: standing.VoltsKey, Reading: finding.Of(25.92)})
	step(steps.Input{Step: "isolation", Case: &isolation.Readings{PackVolts: 25.92, PositiveVolts: 0.6,
		NegativeVolts: 0.4, MeterOhms: 10e6}})
}

// The sample's pictures are drawn, not taken: simple shapes that show what was seen.

func sheet(w, h int, c color.RGBA) *image.RGBA {
	m := image.NewRGBA(image.Rect(0, 0, w, h))
	draw.Draw(m, m.Bounds(), image.NewUniform(c), image.Point{}, draw.Src)
	return m
}

func encode(m image.Image) []byte {
	var b bytes.Buffer
	if err := png.Encode(&b, m); err != nil {
		panic(err) // into memory: cannot fail
	}
	return b.Bytes()
}

// swollenPicture is a module from the side: straight end plates, and cells that bulge between them.
func swollenPicture() []byte {
	m := sheet(900, 600, color.RGBA{206, 200, 186, 255})
	cell, plate, edge := color.RGBA{92, 108, 112, 255}, color.RGBA{52, 62, 66, 255}, color.RGBA{150, 162, 164, 255}
	for y := 130; y < 470; y++ {
		bulge := 46 * math.Sin(math.Pi*float64(y-130)/340)
		for x := 200 - int(bulge); x < 700+int(bulge); x++ {
			c := cell
			if (x-200)%62 < 4 {
				c = edge
			}
			m.SetRGBA(x, y, c)
		}
	}
	for _, at := range []image.Rectangle{image.Rect(180, 110, 720, 130), image.Rect(180, 470, 720, 490)} {
		draw.Draw(m, at, image.NewUniform(plate), image.Point{}, draw.Src)
	}
	// A straight edge along the side shows the gap.
	draw.Draw(m, image.Rect(706, 60, 716, 540), image.NewUniform(color.RGBA{164, 86, 42, 255}), image.Point{},
		draw.Over)
	return encode(m)
}

// screenPicture is the screen of an instrument with lines of text.
func screenPicture(lines []string) []byte {
	small := sheet(150, 16*len(lines)+22, color.RGBA{24, 40, 44, 255})
	for i, l := range lines {
		d := font.Drawer{Dst: small, Src: image.NewUniform(color.RGBA{196, 224, 208, 255}), Face: basicfont.Face7x13,
			Dot: fixed.P(14, 22+16*i)}
		d.DrawString(l)
	}
	big := image.NewRGBA(image.Rect(0, 0, small.Bounds().Dx()*5, small.Bounds().Dy()*5))
	draw.NearestNeighbor.Scale(big, big.Bounds(), small, small.Bounds(), draw.Src, nil)
	return encode(big)
}
