package plan

import (
	"fmt"
	"slices"
	"strings"

	"pandrel/core/bank/ways"
	"pandrel/core/base/finding"
)

// hangs judges what hangs on the bank.
func (w *Wiring) hangs(s Situation) {
	list, err := ways.Read(s.Parts.Ways)
	if err != nil || len(list) == 0 { // it was checked when it was kept
		return
	}
	now := 0.0
	if len(w.Assumed) == 0 || w.EndsOnly() {
		now = w.NowVolts()
	}
	w.Report.Findings = append(w.Report.Findings, ways.Judge(ways.Bank{LowVolts: s.Design.lowest(s.Need), NowVolts: now,
		FullVolts: w.FullV, Opens: s.Device.Name != ""}, list)...)
}

// parted judges where a disconnect by hand parts a string: only where boards of its BMS meet. Anywhere else the leads
// of a board lie on both sides of it, and opened the board bears the volts of the whole string.
func (w *Wiring) parted(s Situation) {
	d, at := s.Design, s.Parts.PartAfter
	if at <= 0 || s.Device.Name == "" {
		return
	}
	below := d.groupsBelow(at)
	add := func(f finding.Finding) {
		w.Report.Findings = append(w.Report.Findings, f.About("Q1").By("rules §9, §14"))
	}
	if below == 0 {
		add(finding.New(finding.Refuse, codeDisconnectNowhere).Reads(float64(at), "modules").
			Against(float64(d.Candidate.ModulesInString-1)).
			Says("A disconnect behind module %d of %d in a string parts nothing.", at, d.Candidate.ModulesInString).
			Then("Say behind which module it sits, from the main negative up."))
		return
	}
	var meet []int
	sum := 0
	for _, n := range d.Boards(s.Device) {
		sum += n
		meet = append(meet, sum)
	}
	if len(meet) > 0 {
		meet = meet[:len(meet)-1]
	}
	if !slices.Contains(meet, below) {
		do := "Leave it out, or take a BMS of several boards that meet there."
		if len(meet) > 0 {
			k := slices.Index(d.Borders(), meet[0])
			if k >= 0 {
				do = fmt.Sprintf("Put it behind module %d, where the boards meet at group %d.", k+1, meet[0])
			}
		}
		// This says where it belongs; that it stands between sense leads is said by it too.
		w.Report.Findings = slices.DeleteFunc(w.Report.Findings, func(f finding.Finding) bool {
			return strings.HasPrefix(f.Subject, "Q1")
		})
		add(finding.New(finding.Refuse, codeDisconnectInside).Reads(float64(below), "groups").
			Says("The disconnect parts the string at group %d, inside of a board: once it is open the leads "+
				"of that board lie on both sides of it, and the whole string's volts stand across the "+
				"board.", below).Then("%s", do))
		return
	}
	add(finding.New(finding.Caution, codeDisconnectData).Reads(float64(below), "groups").
		Says("The disconnect sits where the boards meet, at group %d: two leads there, one on each side of "+
			"it. Open, the two boards share no potential, so that what links their data must be isolated: not "+
			"known.", below).
		Then("Read it from the data sheet of the boards. Without that an open disconnect drives its volts " +
			"through them."))
}
