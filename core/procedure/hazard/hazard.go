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
// are the actions of the shop that refuse while one stands; Pages are routes; Tests are package.Test.
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
//
// In one piece: it is a table, a row for each hazard.
func List() []Row {
	return []Row{
		{
			Name: "shock", Hazard: "Shock above 60 V DC, 30 V in wet places",
			Does: "The highest voltage within reach of each step; above the limit a licensed name, another second " +
				"person, protective equipment, a proved meter and isolation are gates that nobody passes " +
				"over, the same " +
				"for modules, packs, banks and standing banks, before the first bare part. A service plug is " +
				"drawn and " +
				"proved dead first. Packs are split by the fewest lifts.",
			Gates: []string{
				"limits:high-voltage", "build:shock", "pack:shock", "standing:touch-voltage",
				"gates:licensed", "gates:person", "gates:equipment", "commission:isolation", "pack:plug",
			},
			Asked: []string{"RecordStep", "PutInService", "RecordSense", "Start", "StartByHand", "RecordTeardownStep"},
			Pages: []string{bankPage, "/packs/:id", "/services/:id", "/modules/:number/people"},
			Tests: []string{
				"wiring.TestAbove60VoltsIsHighVoltageWork",
				"commission.TestAbove60VoltsPeopleAndIsolationComeFirstAndCannotBePassed",
				"pack.TestFindings", "standing.TestFindings",
			},
		},
		{
			Name: "arc", Hazard: "Arc and burn at any voltage: thousands of amps",
			Does:  "The prospective short-circuit current is shown with the steps; covers, tools, one hand.",
			Gates: []string{"build:arc", "build:interrupt"},
			Asked: []string{"PlanWiring"},
			Pages: []string{bankPage, sheetPage},
			Tests: []string{"build.TestHazardsFollowTheBank"},
		},
		{
			Name: "loop", Hazard: "Closing a loop that has voltage in it",
			Does:  "Every loop is added up, as wired and with every device on and through earth: refused.",
			Gates: []string{"wiring:loop-with-voltage", "wiring:reversed", "wiring:uneven-levels"},
			Asked: []string{"PlanWiring", "PutInService"},
			Pages: []string{bankPage},
			Tests: []string{"wiring.TestErrorsAreFound", "wiring.TestEveryInjectedFaultIsNamed"},
		},
		{
			Name: "joining", Hazard: "Joining modules or strings at different voltage or charge",
			Does: "First current from volts and resistances against cells, fuse and cable; totals compared " +
				"before strings are joined; the charge of all groups against each other.",
			Gates: []string{"wiring:parallel-difference", "balance:unequal-charge", "build:parallel"},
			Asked: []string{"PlanWiring", "PutInService"},
			Pages: []string{bankPage, sheetPage},
			Tests: []string{"wiring.TestErrorsAreFound", "build.TestHazardsFollowTheBank"},
		},
		{
			Name: "overcharge", Hazard: "Overcharge, or a wrong chemistry chosen",
			Does: "No test and no place in a bank with the chemistry undeclared or a group above its limit; " +
				"another chemistry needs a reason and judges everything anew.",
			Gates: []string{
				"passage:over-limit", "passage:chemistry-undeclared", "survey:over-limit",
				"wiring:group-over", "window:full-above-device", "plan:no-pack-trip", "commission:pack-trip",
			},
			Asked: []string{"RecordTrace", "RecordHandResult", "DesignBank", "SaveType"},
			Pages: []string{modulePage, "/types/:id"},
			Tests: []string{
				"passage.TestEveryHoldIsEnforcedAtEveryLaterStation", "survey.TestVerdicts",
				"shop.TestAnotherChemistryIsAskedAboutAndJudgesAnew",
			},
		},
		{
			Name: "deep-discharge", Hazard: "A group that was deeply discharged and is charged again",
			Does: "Held at the first such reading, and where a test drove it there until it was surveyed at rest; " +
				"quarantine once it is confirmed at rest, in a module or a bank; nobody takes that back.",
			Gates: []string{
				"survey:below-never-recharge", "survey:below-never-recharge-unconfirmed",
				"trace:driven-below", "passage:reread", "passage:driven-below", "standing:group-quarantined",
			},
			Asked: []string{"RecordSurvey", "RecordTrace", "RecordHandResult", "WithdrawReading"},
			Pages: []string{modulePage, "/modules/:number/survey"},
			Tests: []string{
				"survey.TestVerdicts", "trace.TestTroublesInLogs",
				"shop.TestWhatIsFoundLaterKeepsAModuleOut",
			},
		},
		{
			Name: "frost", Hazard: "Charging below freezing",
			Does: "Asked of every bank before service; where it can freeze, a BMS without a cut-off is refused " +
				"and the cut-off is tried. On the bench a charge below it is refused: planned, by hand and on the " +
				"cycler.",
			Gates: []string{
				"bms:no-frost-cutoff", "commission:frost-not-asked", "commission:frost",
				"build:frost", "testplan:cold", "byhand:cold", "run:cold",
			},
			Asked: []string{"ChooseBMS", "AnswerFrost", "PutInService"},
			Pages: []string{bankPage},
			Tests: []string{"bms.TestReasons", "shop.TestGoingIntoServiceNeedsAFreshSurveyAndAWordOnFrost"},
		},
		{
			Name: "driven-backwards", Hazard: "A weak group driven backwards in a series string",
			Does: "A discharge ends at the first group at its floor; a result below zero or without that group's " +
				"voltage is no result.",
			Gates: []string{"trace:driven-below", "trace:below-floor", "trace:sample-doubtful"},
			Asked: []string{"RecordTrace", "RecordHandResult"},
			Pages: []string{"/modules/:number/test"},
			Tests: []string{"trace.TestTroublesInLogs"},
		},
		{
			Name: "hidden-groups", Hazard: "Groups that no monitor sees",
			Does: "Every group without its own pair of leads is listed: paralleled modules, broken and dead taps.",
			Gates: []string{
				"wiring:unmonitored", "passage:tap-broken", "passage:tap-dead",
				"wiring:sense-missing",
			},
			Asked: []string{"PlanWiring", "DesignBank", "PutInService"},
			Pages: []string{bankPage, modulePage},
			Tests: []string{
				"wiring.TestErrorsAreFound", "passage.TestEveryHoldIsEnforcedAtEveryLaterStation",
				"shop.TestWhatIsFoundLaterKeepsAModuleOut",
			},
		},
		{
			Name: "sense-leads", Hazard: "Sense leads swapped, missing, or plugged in too early",
			Does: "A voltage for every lead and a verdict on what was measured, lead 0 proven by the top one; " +
				"the plug is last.",
			Gates: []string{
				"wiring:sense-step", "sense:sense-lead-0", "build:plug-order",
				"build:sense-swapped",
			},
			Asked: []string{"RecordSense", "PutInService"},
			Pages: []string{bankPage, sheetPage},
			Tests: []string{
				"wiring.TestSenseLeadsThatMislead",
				"shop.TestASenseMeterThatCannotTellLeadsApartIsNotTaken",
			},
		},
		{
			Name: "bare-leads", Hazard: "Unfused sense leads along bare bars",
			Does:  "A line in the build order.",
			Gates: []string{"build:sense-fuse"},
			Asked: []string{"PlanWiring"},
			Pages: []string{sheetPage},
			Tests: []string{"build.TestHazardsFollowTheBank"},
		},
		{
			Name: "shared-negative", Hazard: "Two chargers or instruments that share a negative, an earth or a " +
				"data lead",
			Does:  "Asked before the monitor is read.",
			Gates: []string{"passage:shared-negative"},
			Asked: []string{"ReadMonitor"},
			Pages: []string{"/modules/:number/survey"},
			Tests: []string{"passage.TestTwoInstrumentsOnOneModule", "shop.TestTheMonitorStillOnTheModuleBefore"},
		},
		{
			Name: "meter", Hazard: "The meter itself: leads in the current jack, bare probes",
			Does:  "Prove, test, prove is a step of its own.",
			Gates: []string{"build:meter", "gates:meter"},
			Asked: []string{"RecordStep"},
			Pages: []string{sheetPage, "/packs/:id", "/services/:id"},
			Tests: []string{"build.TestHazardsFollowTheBank", "shop.TestAPackIsSplitGateByGate"},
		},
		{
			Name: "open-link", Hazard: "Opening a link, a fuse or a switch with the sense plug in",
			Does: "Sense plug out first, B− off last; a device inside one BMS's span is refused, with the " +
				"voltage that would stand on one input.",
			Gates: []string{"wiring:device-in-span", "build:undo", "standing:sense-out"},
			Asked: []string{"PlanWiring", "RecordStep"},
			Pages: []string{bankPage, sheetPage, "/services/:id"},
			Tests: []string{"wiring.TestEveryInjectedFaultIsNamed", "build.TestHazardsFollowTheBank"},
		},
		{
			Name: "cutting", Hazard: "Cutting or regrouping a module",
			Does: "Welded joints are not cut; what must be looked at is a stop until it is written down; " +
				"pressure of the end plates is named.",
			Gates: []string{"variant:welded", "variant:not-known", "variant:compression"},
			Asked: []string{"VariantsOf", "SaveInside"},
			Pages: []string{"/types/:id/variants"},
			Tests: []string{"variant.TestWeldedIsNotPossible"},
		},
		{
			Name: "hot-joint", Hazard: "A hot joint",
			Does:  "The worst joint in millivolts at the first load is a gate into service.",
			Gates: []string{"commission:joints", "build:hot-joint"},
			Asked: []string{"RecordStep"},
			Pages: []string{bankPage, sheetPage},
			Tests: []string{"shop.TestTheGatesIntoServiceAreRecordedWithInitials"},
		},
		{
			Name: "reclose", Hazard: "A tripped string closing again by itself onto a bus",
			Does:  "A gate into service; nobody passes over it with several strings.",
			Gates: []string{"commission:reclose"},
			Asked: []string{"RecordStep"},
			Pages: []string{bankPage},
			Tests: []string{"shop.TestTheGatesIntoServiceAreRecordedWithInitials"},
		},
		{
			Name: "lead-acid", Hazard: "A charger with lead-acid habits",
			Does:  "A line of the settings sheet, and a gate into service.",
			Gates: []string{"commission:lead-acid", "build:lead-acid"},
			Asked: []string{"RecordStep"},
			Pages: []string{bankPage, sheetPage},
			Tests: []string{
				"commission.TestAbove60VoltsPeopleAndIsolationComeFirstAndCannotBePassed",
				"build.TestHazardsFollowTheBank",
			},
		},
		{
			Name: "temporary", Hazard: "Temporary parts and test settings left in place",
			Does:  "A gate into service.",
			Gates: []string{"commission:temporary", "commission:settings"},
			Asked: []string{"RecordStep"},
			Pages: []string{bankPage},
			Tests: []string{"shop.TestTheGatesIntoServiceAreRecordedWithInitials"},
		},
		{
			Name: "undersized", Hazard: "Conductors, bonds and modules below their current",
			Does: "Rating or section of every conductor against its fuse and the design current; cells against " +
				"load and charger.",
			Gates: []string{
				"wiring:fuse-above-conductor", "wiring:current-rating", "wiring:bond-thin", "wiring:cells-current",
				"window:current-too-high", "bms:continuous-current",
			},
			Asked: []string{"SaveParts", "PlanWiring", "ChooseBMS"},
			Pages: []string{bankPage},
			Tests: []string{
				"wiring.TestAFuseAboveItsCablesSectionIsNamed", "shop.TestRatingsOfPartsAreJudged",
				"bms.TestReasons",
			},
		},
		{
			Name: "fuse", Hazard: "A fuse that cannot interrupt, is missing or too far away",
			Does: "Prospective current against its rating, DC volts against the bank, one for each string, near " +
				"the cells.",
			Gates: []string{
				"wiring:interrupt-rating", "wiring:interrupt-not-known", "wiring:fuse-not-known",
				"wiring:voltage-rating", "wiring:string-without-fuse", "wiring:fuse-in-earthed-pole",
				"wiring:unprotected", "wiring:fuse-far",
			},
			Asked: []string{"SaveParts", "PlanWiring"},
			Pages: []string{bankPage},
			Tests: []string{"wiring.TestErrorsAreFound", "wiring.TestWhatSwitchesAndProtectsIsJudged",
				"shop.TestAFuseOfABankInServiceStaysOnRecord", "shop.TestRatingsOfPartsAreJudged"},
		},
		{
			Name: "bypass", Hazard: "Current past the BMS or the shunt",
			Does: "Every way from the load back to the cells leads through the BMS, and the shunt where one is " +
				"drawn.",
			Gates: []string{"wiring:bms-bypassed", "wiring:shunt-bypassed", "wiring:middle-tap",
				"wiring:earth-before-bms"},
			Asked: []string{"PlanWiring"},
			Pages: []string{bankPage},
			Tests: []string{"wiring.TestErrorsAreFound"},
		},
		{
			Name: "cascade", Hazard: "One string trips, the rest carry its load",
			Does:  "Each string's BMS must carry the whole load.",
			Gates: []string{"bms:continuous-current"},
			Asked: []string{"ChooseBMS"},
			Pages: []string{bankPage},
			Tests: []string{"bms.TestReasons"},
		},
		{
			Name: "lift", Hazard: "Crush and lift",
			Does:  "Two people above 25 kg, from the type's mass.",
			Gates: []string{"build:lift"},
			Asked: []string{"PlanWiring"},
			Pages: []string{sheetPage},
			Tests: []string{"build.TestHazardsFollowTheBank"},
		},
		{
			Name: "bad-module", Hazard: "Wet, swollen, hot, smelling, dented or open modules",
			Does: "One rule says what a module may do next, and every action asks it at that moment, also in " +
				"service.",
			Gates: []string{
				"passage:quarantined", "passage:look-held", "passage:no-look", "passage:open",
				"passage:leaking", "passage:not-accepted", "passage:grade-stale",
			},
			Asked: []string{
				"RecordInspection", "RecordTrace", "GradeModule", "DesignBank", "RecordStep",
				"PutInService", "ReplaceModule",
			},
			Pages: []string{"/", modulePage, bankPage},
			Tests: []string{
				"passage.TestEveryHoldIsEnforcedAtEveryLaterStation",
				"shop.TestWhatIsFoundLaterKeepsAModuleOut",
				"shop.TestNothingFoundIsRefusedWhileASignIsChosen",
			},
		},
		{
			Name: "wrong-label", Hazard: "A module that is not what its label or its type says",
			Does:  "Its own map, check and isolation reach every later room.",
			Gates: []string{"passage:own-map", "passage:unlike-type", "passage:isolation"},
			Asked: []string{"GradeModule", "DesignBank", "PutInService"},
			Pages: []string{modulePage, bankPage},
			Tests: []string{
				"passage.TestEveryHoldIsEnforcedAtEveryLaterStation",
				"shop.TestWhatIsFoundLaterKeepsAModuleOut",
			},
		},
		{
			Name: "false-gate", Hazard: "A gate that believes anything",
			Does: "Each reading is compared with what the state predicts; a failed one holds the next step; a " +
				"reason for going on is a sentence with a name.",
			Gates: []string{"gates:not-as-predicted", "gates:polarity", "gates:gate-open", "gates:no-override"},
			Asked: []string{"RecordStep"},
			Pages: []string{"/packs/:id", "/services/:id", bankPage},
			Tests: []string{
				"gates.TestReadingsAreComparedWithWhatTheStatePredicts",
				"shop.TestAPackIsSplitGateByGate",
			},
		},
		{
			Name: "fire", Hazard: "Fire and gas in charging areas",
			Does:  "What to have at hand; never that a fire can be put out.",
			Gates: []string{"build:fire"},
			Asked: []string{"PlanWiring"},
			Pages: []string{sheetPage},
			Tests: []string{"build.TestHazardsFollowTheBank"},
		},
		{
			Name: "mains", Hazard: "Mains and building wiring",
			Does:  "Outside the tool: the licensed electrician's name is a gate.",
			Gates: []string{"commission:mains", "standing:mains"},
			Asked: []string{"RecordStep"},
			Pages: []string{bankPage, "/services/:id"},
			Tests: []string{
				"standing.TestStepsFollowTheBank",
				"shop.TestTheGatesIntoServiceAreRecordedWithInitials",
			},
		},
		{
			Name: "unattended", Hazard: "Long steps that nobody watches",
			Does:  "The device ends it, seen once before it is left alone.",
			Gates: []string{"commission:unattended", "build:unattended"},
			Asked: []string{"RecordStep"},
			Pages: []string{bankPage, sheetPage},
			Tests: []string{"commission.TestAbove60VoltsPeopleAndIsolationComeFirstAndCannotBePassed"},
		},
		{
			Name: "history", Hazard: "Unknown, flood or recall history",
			Does: "Asked, written, changed only with trace; flood and recall are quarantine for ever. Before a " +
				"pack is opened it is a gate.",
			Gates: []string{"passage:quarantined", "pack:history"},
			Asked: []string{"SaveHistory", "AddModules", "RecordStep"},
			Pages: []string{modulePage, "/lots/:id", "/packs/:id"},
			Tests: []string{"shop.TestWhatIsFoundLaterKeepsAModuleOut", "shop.TestAPackIsSplitGateByGate"},
		},
		{
			Name: "unlike", Hazard: "Unlike chemistries or series counts in one bank",
			Does:  "Refused.",
			Gates: []string{"wiring:unlike-chemistries", "match:types-mixed"},
			Asked: []string{"PlanWiring", "ReplaceModule"},
			Pages: []string{bankPage},
			Tests: []string{"wiring.TestErrorsAreFound"},
		},
		{
			Name: "no-bms", Hazard: "A bank without a BMS that can disconnect",
			Does: "Refused: no steps and no build sheet.",
			Gates: []string{"wiring:no-bms", "wiring:bms-cannot-disconnect", "wiring:bms-crossed",
				"wiring:switch-volts", "standing:no-bms"},
			Asked: []string{"PlanWiring", "PutInService", "RecordStep"},
			Pages: []string{bankPage, "/services/:id"},
			Tests: []string{"wiring.TestErrorsAreFound", "shop.TestTheLineFromPileToBank",
				"standing.TestWhatHoldsABankHoldsItsWayBack"},
		},
		{
			Name: "stale", Hazard: "A bank that goes into service on what was measured long ago",
			Does:  "A survey of every module within a week; a time at work voids the old checks.",
			Gates: []string{"commission:bank-not-surveyed", "commission:cautions"},
			Asked: []string{"PutInService", "TakeOutOfService"},
			Pages: []string{bankPage},
			Tests: []string{"shop.TestGoingIntoServiceNeedsAFreshSurveyAndAWordOnFrost"},
		},
	}
}

// Never lists what nobody passes over, as package:code: gates without a way round, and findings of level refuse.
// All else may be passed over by a sentence of reason with a name, which stays in sight.
func Never() []string {
	return []string{
		"pack:history", "pack:licensed", "pack:person", "pack:equipment", "pack:meter", "pack:isolation-before",
		"pack:isolation-after", "pack:lift-1", "standing:owner", "standing:licensed", "standing:person",
		"standing:equipment", "standing:meter", "standing:isolation", "standing:service-plug", "standing:beside",
		"commission:licensed", "commission:person", "commission:equipment", "commission:meter", "commission:isolation",
		"commission:cautions", "commission:frost", "commission:lead-acid", "commission:unattended",
		"commission:reclose",
		"commission:device", "commission:pack-trip", "commission:join",
		"passage:quarantined", "passage:chemistry-undeclared",
		"survey:below-never-recharge", "survey:over-limit-quarantine", "standing:group-quarantined", "standing:no-bms",
		"wiring:loop-with-voltage", "wiring:no-bms", "wiring:bms-cannot-disconnect", "wiring:b-minus-off-lead-0",
		"wiring:unlike-chemistries", "wiring:group-dead", "wiring:never-recharge", "wiring:group-over",
		"window:too-many-groups", "window:window-small", "window:current-too-high", "window:will-not-start",
		"bms:groups", "bms:chemistry", "bms:continuous-current", "bms:peak-current", "bms:charge-current",
		"bms:no-frost-cutoff", "bms:monitor-only", "bms:switch-unknown",
		"variant:welded", "gates:no-override", "grade:use-none",
	}
}

// Markdown writes the list for docs/hazards.md.
func Markdown() string {
	var b strings.Builder
	b.WriteString("# Hazards and their gates\n\nMade from package `core/procedure/hazard`; its test looks every " +
		"entry up in the code. Checked: what each row names. Not checked: whatever nobody measured or wrote down. " +
		"Local codes, the maker's data and licensed practice come first.\n\n| name | hazard | what Pandrel does | " +
		"rules | asked by | shown on | tripped by |\n|---|---|---|---|---|---|---|\n")
	for _, r := range List() {
		fmt.Fprintf(&b, "| %s | %s | %s | %s | %s | %s | %s |\n", r.Name, r.Hazard, r.Does, code(r.Gates),
			code(r.Asked), code(r.Pages), code(r.Tests))
	}
	b.WriteString("\n## What nobody passes over\n\nAll other gates may be passed over in writing: a sentence of " +
		"reason with a name, which stays in sight for ever.\n\n")
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
