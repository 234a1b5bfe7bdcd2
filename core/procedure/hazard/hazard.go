// Package hazard lists what can hurt somebody in this trade, and for each what gates it here: the rules that
// speak up, the actions that ask them, the pages that show it, the tests that trip it.
//
// The list holds no rule of its own. It exists so that a hazard cannot lose its gate in silence: its test
// looks each entry up in the code, and docs/hazards.md is made from it.
package hazard

import (
	"fmt"
	"strings"
)

// Row is one hazard. Gates are package:code, a finding's code or a gate's key in that package of core; Asked
// are the methods of package shop that refuse while one stands; Pages are routes; Tests are package.Test.
type Row struct {
	Name   string // short, for talking about it
	Hazard string
	Does   string // what happens here about it
	Gates  []string
	Asked  []string
	Pages  []string
	Tests  []string
}

const (
	bankPage   = "/banks/:id"
	sheetPage  = "/banks/:id/sheet"
	modulePage = "/modules/:number"
)

// List returns every hazard, in the order of the handbook.
func List() []Row {
	return []Row{
		{"shock", "Shock above 60 V DC, 30 V in wet places", "The highest voltage within reach of each step; above the limit a licensed name, a second person and isolation are gates that nobody passes over. Packs are split by the fewest lifts.",
			[]string{"wiring:high-voltage", "build:shock", "pack:shock", "service:touch-voltage", "commission:licensed", "commission:person", "commission:isolation"}, []string{"RecordBankStep", "RecordPackStep", "RecordServiceStep", "PutInService"}, []string{bankPage, "/packs/:id", "/services/:id"}, []string{"wiring.TestAbove60VoltsIsHighVoltageWork", "commission.TestAbove60VoltsPeopleAndIsolationComeFirstAndCannotBePassed", "pack.TestFindings", "service.TestFindings"}},
		{"arc", "Arc and burn at any voltage: thousands of amps", "The prospective short-circuit current is shown with the steps; covers, tools, one hand.",
			[]string{"build:arc", "build:interrupt"}, []string{"PlanWiring"}, []string{bankPage, sheetPage}, []string{"build.TestHazardsFollowTheBank"}},
		{"loop", "Closing a loop that has voltage in it", "Every loop is added up, as wired and with every device on and through earth: refused.",
			[]string{"wiring:loop-with-voltage", "wiring:reversed", "wiring:uneven-levels"}, []string{"PlanWiring", "PutInService"}, []string{bankPage}, []string{"wiring.TestErrorsAreFound", "wiring.TestEveryInjectedFaultIsNamed"}},
		{"joining", "Joining modules or strings at different voltage or charge", "First current from volts and resistances against cells, fuse and cable; totals compared before strings are joined; the charge of all groups against each other.",
			[]string{"wiring:parallel-difference", "balance:unequal-charge", "build:parallel"}, []string{"PlanWiring", "PutInService"}, []string{bankPage, sheetPage}, []string{"wiring.TestErrorsAreFound", "build.TestHazardsFollowTheBank"}},
		{"overcharge", "Overcharge, or a wrong chemistry chosen", "No test and no place in a bank with the chemistry undeclared or a group above its limit; another chemistry needs a reason and judges everything anew.",
			[]string{"passage:over-limit", "passage:chemistry-undeclared", "survey:over-limit", "wiring:group-over"}, []string{"RecordTrace", "RecordHandResult", "DesignBank", "SaveType"}, []string{modulePage, "/types/:id"}, []string{"passage.TestEveryHoldIsEnforcedAtEveryLaterStation", "survey.TestVerdicts", "shop.TestAnotherChemistryIsAskedAboutAndJudgesAnew"}},
		{"deep-discharge", "A group that was deeply discharged and is charged again", "Held at the first such reading, quarantine once it is confirmed at rest or a test drove it there; nobody takes that back.",
			[]string{"survey:below-never-recharge", "survey:below-never-recharge-unconfirmed", "trace:driven-below", "passage:reread", "passage:log-doubt"}, []string{"RecordSurvey", "RecordTrace", "RecordHandResult", "WithdrawReading"}, []string{modulePage, "/modules/:number/survey"}, []string{"survey.TestVerdicts", "trace.TestTroublesInLogs", "shop.TestWhatIsFoundLaterKeepsAModuleOut"}},
		{"frost", "Charging below freezing", "Asked of every bank before service; where it can freeze, a BMS without a cut-off is refused and the cut-off is tried.",
			[]string{"bms:no-frost-cutoff", "commission:frost-not-asked", "commission:frost", "build:frost"}, []string{"ChooseBMS", "AnswerFrost", "PutInService"}, []string{bankPage}, []string{"bms.TestReasons", "shop.TestGoingIntoServiceNeedsAFreshSurveyAndAWordOnFrost"}},
		{"driven-backwards", "A weak group driven backwards in a series string", "A discharge ends at the first group at its floor; a result below zero or without that group's voltage is no result.",
			[]string{"trace:driven-below", "trace:below-floor", "trace:sample-doubtful"}, []string{"RecordTrace", "RecordHandResult"}, []string{"/modules/:number/test"}, []string{"trace.TestTroublesInLogs"}},
		{"hidden-groups", "Groups that no monitor sees", "Every group without its own pair of leads is listed: paralleled modules, broken and dead taps.",
			[]string{"wiring:unmonitored", "passage:tap-broken", "passage:tap-dead", "wiring:sense-missing"}, []string{"PlanWiring", "DesignBank", "PutInService"}, []string{bankPage, modulePage}, []string{"wiring.TestErrorsAreFound", "passage.TestEveryHoldIsEnforcedAtEveryLaterStation", "shop.TestWhatIsFoundLaterKeepsAModuleOut"}},
		{"sense-leads", "Sense leads swapped, missing, or plugged in too early", "A voltage for every lead and a verdict on what was measured, lead 0 proven by the top one; the plug is last.",
			[]string{"wiring:sense-step", "wiring:sense-lead-0", "build:plug-order", "build:sense-swapped"}, []string{"RecordSense", "PutInService"}, []string{bankPage, sheetPage}, []string{"wiring.TestSenseLeadsThatMislead", "shop.TestASenseMeterThatCannotTellLeadsApartIsNotTaken"}},
		{"bare-leads", "Unfused sense leads along bare bars", "A line in the build order.", []string{"build:sense-fuse"}, []string{"PlanWiring"}, []string{sheetPage}, []string{"build.TestHazardsFollowTheBank"}},
		{"shared-negative", "Two chargers or instruments that share a negative, an earth or a data lead", "Asked before the monitor is read.",
			[]string{"passage:shared-negative"}, []string{"ReadMonitor"}, []string{"/modules/:number/survey"}, []string{"passage.TestTwoInstrumentsOnOneModule", "shop.TestTheMonitorStillOnTheModuleBefore"}},
		{"meter", "The meter itself: leads in the current jack, bare probes", "Prove, test, prove is a step of its own.", []string{"build:meter", "pack:meter", "service:meter"}, []string{"RecordPackStep", "RecordServiceStep"}, []string{sheetPage, "/packs/:id", "/services/:id"}, []string{"build.TestHazardsFollowTheBank", "shop.TestAPackIsSplitGateByGate"}},
		{"open-link", "Opening a link, a fuse or a switch with the sense plug in", "Sense plug out first, B− off last; a device inside one BMS's span is refused, with the voltage that would stand on one input.",
			[]string{"wiring:device-in-span", "build:undo", "service:sense-out"}, []string{"PlanWiring", "RecordServiceStep"}, []string{bankPage, sheetPage, "/services/:id"}, []string{"wiring.TestEveryInjectedFaultIsNamed", "build.TestHazardsFollowTheBank"}},
		{"cutting", "Cutting or regrouping a module", "Welded joints are not cut; what must be looked at is a stop until it is written down; pressure of the end plates is named.",
			[]string{"variant:welded", "variant:not-known", "variant:compression"}, []string{"VariantsOf", "SaveInside"}, []string{"/types/:id/variants"}, []string{"variant.TestWeldedIsNotPossible"}},
		{"hot-joint", "A hot joint", "The worst joint in millivolts at the first load is a gate into service.", []string{"commission:joints", "build:hot-joint"}, []string{"RecordBankStep"}, []string{bankPage, sheetPage}, []string{"shop.TestTheGatesIntoServiceAreRecordedWithInitials"}},
		{"reclose", "A tripped string closing again by itself onto a bus", "A gate into service; nobody passes over it with several strings.", []string{"commission:reclose"}, []string{"RecordBankStep"}, []string{bankPage}, []string{"shop.TestTheGatesIntoServiceAreRecordedWithInitials"}},
		{"lead-acid", "A charger with lead-acid habits", "A line of the settings sheet, and a gate into service.", []string{"commission:lead-acid", "build:lead-acid"}, []string{"RecordBankStep"}, []string{bankPage, sheetPage}, []string{"commission.TestAbove60VoltsPeopleAndIsolationComeFirstAndCannotBePassed", "build.TestHazardsFollowTheBank"}},
		{"temporary", "Temporary parts and test settings left in place", "A gate into service.", []string{"commission:temporary", "commission:settings"}, []string{"RecordBankStep"}, []string{bankPage}, []string{"shop.TestTheGatesIntoServiceAreRecordedWithInitials"}},
		{"undersized", "Conductors, bonds and modules below their current", "Rating or section of every conductor against its fuse and the design current; cells against load and charger.",
			[]string{"wiring:fuse-above-conductor", "wiring:current-rating", "wiring:bond-thin", "bank:current-too-high", "bms:continuous-current"}, []string{"SaveParts", "PlanWiring", "ChooseBMS"}, []string{bankPage}, []string{"wiring.TestAFuseAboveItsCablesSectionIsNamed", "shop.TestRatingsOfPartsAreJudged", "bms.TestReasons"}},
		{"fuse", "A fuse that cannot interrupt, is missing or too far away", "Prospective current against its rating, DC volts against the bank, one for each string, near the cells.",
			[]string{"wiring:interrupt-rating", "wiring:voltage-rating", "wiring:string-without-fuse", "wiring:unprotected", "wiring:fuse-far"}, []string{"SaveParts", "PlanWiring"}, []string{bankPage}, []string{"wiring.TestErrorsAreFound", "shop.TestRatingsOfPartsAreJudged"}},
		{"bypass", "Current past the BMS or the shunt", "Every way from the load back to the cells leads through the BMS, and the shunt where one is drawn.", []string{"wiring:bms-bypassed", "wiring:shunt-bypassed", "wiring:middle-tap"}, []string{"PlanWiring"}, []string{bankPage}, []string{"wiring.TestErrorsAreFound"}},
		{"cascade", "One string trips, the rest carry its load", "Each string's BMS must carry the whole load.", []string{"bms:continuous-current"}, []string{"ChooseBMS"}, []string{bankPage}, []string{"bms.TestReasons"}},
		{"lift", "Crush and lift", "Two people above 25 kg, from the type's mass.", []string{"build:lift"}, []string{"PlanWiring"}, []string{sheetPage}, []string{"build.TestHazardsFollowTheBank"}},
		{"bad-module", "Wet, swollen, hot, smelling, dented or open modules", "One rule says what a module may do next, and every action asks it at that moment, also in service.",
			[]string{"passage:quarantined", "passage:look-held", "passage:no-look", "passage:open", "passage:leaking", "passage:not-accepted", "passage:grade-stale"}, []string{"RecordInspection", "RecordTrace", "GradeModule", "DesignBank", "RecordBankStep", "PutInService", "ReplaceModule"}, []string{"/", modulePage, bankPage}, []string{"passage.TestEveryHoldIsEnforcedAtEveryLaterStation", "shop.TestWhatIsFoundLaterKeepsAModuleOut", "shop.TestNothingFoundIsRefusedWhileASignIsChosen"}},
		{"wrong-label", "A module that is not what its label or its type says", "Its own map, check and isolation reach every later room.", []string{"passage:own-map", "passage:unlike-type", "passage:isolation"}, []string{"GradeModule", "DesignBank", "PutInService"}, []string{modulePage, bankPage}, []string{"passage.TestEveryHoldIsEnforcedAtEveryLaterStation", "shop.TestWhatIsFoundLaterKeepsAModuleOut"}},
		{"false-gate", "A gate that believes anything", "Each reading is compared with what the state predicts; a failed one holds the next step; a reason for going on is a sentence with a name.", []string{"gates:not-as-predicted", "gates:polarity", "gates:gate-open", "gates:no-override"}, []string{"RecordPackStep", "RecordServiceStep", "RecordBankStep"}, []string{"/packs/:id", "/services/:id", bankPage}, []string{"gates.TestReadingsAreComparedWithWhatTheStatePredicts", "shop.TestAPackIsSplitGateByGate"}},
		{"fire", "Fire and gas in charging areas", "What to have at hand; never that a fire can be put out.", []string{"build:fire"}, []string{"PlanWiring"}, []string{sheetPage}, []string{"build.TestHazardsFollowTheBank"}},
		{"mains", "Mains and building wiring", "Outside the tool: the licensed electrician's name is a gate.", []string{"commission:mains", "service:mains"}, []string{"RecordBankStep", "RecordServiceStep"}, []string{bankPage, "/services/:id"}, []string{"service.TestStepsFollowTheBank", "shop.TestTheGatesIntoServiceAreRecordedWithInitials"}},
		{"unattended", "Long steps that nobody watches", "The device ends it, seen once before it is left alone.", []string{"commission:unattended", "build:unattended"}, []string{"RecordBankStep"}, []string{bankPage, sheetPage}, []string{"commission.TestAbove60VoltsPeopleAndIsolationComeFirstAndCannotBePassed"}},
		{"history", "Unknown, flood or recall history", "Asked, written, changed only with trace; flood and recall are quarantine for ever. Before a pack is opened it is a gate.", []string{"passage:quarantined", "pack:history"}, []string{"SaveHistory", "AddModules", "RecordPackStep"}, []string{modulePage, "/lots/:id", "/packs/:id"}, []string{"shop.TestWhatIsFoundLaterKeepsAModuleOut", "shop.TestAPackIsSplitGateByGate"}},
		{"unlike", "Unlike chemistries or series counts in one bank", "Refused.", []string{"wiring:unlike-chemistries", "match:types-mixed"}, []string{"PlanWiring", "ReplaceModule"}, []string{bankPage}, []string{"wiring.TestErrorsAreFound"}},
		{"no-bms", "A bank without a BMS that can disconnect", "Refused: no steps and no build sheet.", []string{"wiring:no-bms", "wiring:bms-cannot-disconnect"}, []string{"PlanWiring", "PutInService"}, []string{bankPage}, []string{"wiring.TestErrorsAreFound", "shop.TestTheLineFromPileToBank"}},
		{"stale", "A bank that goes into service on what was measured long ago", "A survey of every module within a week; a time at work voids the old checks.", []string{"commission:bank-not-surveyed", "commission:cautions"}, []string{"PutInService", "TakeOutOfService"}, []string{bankPage}, []string{"shop.TestGoingIntoServiceNeedsAFreshSurveyAndAWordOnFrost"}},
	}
}

// Never lists what nobody passes over, as package:code: gates without a way round, and findings of level refuse.
// All else may be passed over by a sentence of reason with a name, which stays in sight.
func Never() []string {
	return []string{
		"pack:history", "service:owner",
		"commission:licensed", "commission:person", "commission:isolation", "commission:cautions", "commission:frost", "commission:lead-acid", "commission:unattended", "commission:reclose",
		"passage:quarantined", "passage:chemistry-undeclared",
		"survey:below-never-recharge", "survey:over-limit-quarantine", "trace:driven-below",
		"wiring:loop-with-voltage", "wiring:no-bms", "wiring:bms-cannot-disconnect", "wiring:b-minus-off-lead-0", "wiring:unlike-chemistries", "wiring:group-dead", "wiring:never-recharge", "wiring:group-over",
		"bank:too-many-groups", "bank:window-small", "bank:current-too-high", "bank:will-not-start",
		"bms:groups", "bms:chemistry", "bms:continuous-current", "bms:peak-current", "bms:charge-current", "bms:no-frost-cutoff",
		"variant:welded", "gates:no-override",
	}
}

// Markdown writes the list for docs/hazards.md.
func Markdown() string {
	var b strings.Builder
	b.WriteString("# Hazards and their gates\n\nMade from package `core/hazard`; its test looks every entry up in the code. Checked: what each row names. Not checked: whatever nobody measured or wrote down. Local codes, the maker's data and licensed practice come first.\n\n| name | hazard | what Pandrel does | rules | asked by | shown on | tripped by |\n|---|---|---|---|---|---|---|\n")
	for _, r := range List() {
		fmt.Fprintf(&b, "| %s | %s | %s | %s | %s | %s | %s |\n", r.Name, r.Hazard, r.Does, code(r.Gates), code(r.Asked), code(r.Pages), code(r.Tests))
	}
	b.WriteString("\n## What nobody passes over\n\nAll other gates may be passed over in writing: a sentence of reason with a name, which stays in sight for ever.\n\n")
	for _, n := range Never() {
		b.WriteString("- `" + n + "`\n")
	}
	return b.String()
}

func code(list []string) string {
	out := make([]string, len(list))
	for i, s := range list {
		out[i] = "`" + s + "`"
	}
	return strings.Join(out, "<br>")
}
