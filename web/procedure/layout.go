package procedure

import (
	"fmt"

	"pandrel/core/base/numeral"
	"pandrel/core/procedure/standing"
	"pandrel/draw"
	"pandrel/shop/procedure"
	"pandrel/store"
)

// layout is how a bank stands, by what is known of it, with its picture.
func layout(s procedure.StandingView) (l standing.Layout, picture string) {
	if s.Standing.Origin == store.Built { // the page of its design draws it
		return l, ""
	}
	total := s.Cells.ReadV
	if last, read := s.Newest(); read && last.Judged.TotalV > 0 {
		total = last.Judged.TotalV
	}
	var volts []float64
	if len(s.Surveys) > 0 && s.Bank.Strings <= 1 {
		volts = s.Surveys[0].Volts
	}
	l = standing.LayoutOf(s.Bank, s.Cells, total, volts)
	b := draw.Bank{Title: "How " + s.Standing.Name + " stands", Series: l.Blocks, Parallel: l.Strings,
		StringsFirst: true,
		Bars:         true, PartAfter: l.PartAfter, LinkName: l.Link}
	if n := len(l.Posts); n > 0 {
		b.PlusVolts = l.Posts[n-1]
	}
	for str := range l.Strings {
		for k := range l.Blocks {
			m := draw.BankModule{Label: l.Label(k, str), Position: k, Mate: str, Inside: inside(l, k)}
			if len(l.Posts) > 0 {
				m.Volts = l.Posts[k : k+2]
			}
			b.Modules = append(b.Modules, m)
		}
	}
	return l, b.SVG()
}

// inside is what is known of a part of a string.
func inside(l standing.Layout, block int) string {
	volts := ""
	if len(l.Posts) > 0 {
		volts = fmt.Sprintf("%.2f V", l.Posts[block+1]-l.Posts[block])
	}
	groups := "groups not counted"
	switch n := l.Groups[block]; {
	case n > 0:
		groups = numeral.Count(n, "group")
	case len(l.MayGroups) > 0:
		groups = numeral.CountText(0, l.MayGroups) + " groups"
	}
	if volts == "" {
		return groups
	}
	return groups + ", " + volts
}
