package store

import (
	"cmp"
	"encoding/json"
	"math"
	"strings"
	"time"

	"pandrel/core/bank/bms"
	"pandrel/core/bank/floor"
	"pandrel/core/bank/mount"
	"pandrel/core/bank/plan"
	"pandrel/core/bank/whole"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/station"
	"pandrel/core/bench/kit"
	"pandrel/core/module/face"
	"pandrel/core/module/grade"
	"pandrel/core/module/isolation"
	"pandrel/core/module/layout"
	"pandrel/core/module/lead"
	"pandrel/core/module/look"
	"pandrel/core/module/sense"
	"pandrel/core/module/survey"
	"pandrel/core/module/teardown"
	"pandrel/core/module/variant"
	"pandrel/core/procedure/pack"
	"pandrel/core/procedure/standing"
	"pandrel/core/test/kind"
	"pandrel/core/test/logview"
	"pandrel/core/test/parts"
	steps "pandrel/core/test/run"
)

// Findings is a column of judgements.
type Findings = JSON[[]finding.Finding]

// Lot is what arrived together at one price.
type Lot struct {
	ID        int64
	Supplier  string
	ArrivedOn string // a date, yyyy-mm-dd
	Price     float64
	Freight   float64
	Currency  string
	Note      string
	Version   int
	CreatedAt time.Time

	// Where freight is one price per pallet, whatever it holds: Freight is then the sum.
	Pallets       int
	PalletFreight float64
	PalletHolds   int
	Claims        string  // what the seller says of it
	ClaimedSohPct float64 // and in per cent of rated capacity, 0 for nothing said
	Papers        bool    // it is new, and its maker's papers say what it holds
	ClaimAbout    bool    // it holds about ClaimedSohPct, and not that or better
}

// ModuleType is what modules of one design share. Posts and Pins are names separated by blanks.
// CellsParallel follows from one of TabsSeen, CellAh, or ModuleKg and CellKg, as ParallelHow says.
// Face is JSON of face.Face, Curve of shop.OwnCurve, Looks of map[string]shop.LookNote, Inside of
// shop.Inside; each is empty where nothing is known. ThicknessMM is nominal, 0 where not known.
type ModuleType struct {
	ID            int64
	Name          string
	Closed        bool    // a pack with a BMS of its own inside
	SwitchVolts   float64 // that its switch bears, 0 not known
	Chemistry     chem.ID
	RatedAh       float64
	RatedWh       float64 // where its label says that instead: RatedAh follows from it
	PlateSeries   int
	PlateVolts    float64
	Posts         string
	Pins          string
	CellsParallel int
	ParallelHow   string
	TabsSeen      int
	CellAh        float64
	ModuleKg      float64
	CellKg        float64
	Note          string
	LayoutID      *int64
	Face          JSON[face.Face]
	Curve         JSON[chem.Points]
	ThicknessMM   float64 `gorm:"column:thickness_mm"`
	WidthMM       float64 `gorm:"column:width_mm"` // of the case as its face is drawn, 0 not known
	DepthMM       float64 `gorm:"column:depth_mm"`
	HeightMM      float64 `gorm:"column:height_mm"`
	Thread        string  // of its posts, as somebody wrote it
	Mount         JSON[mount.Mount]
	Looks         JSON[look.Notes]
	Inside        JSON[variant.Told]
	DischargeA    float64 `gorm:"column:discharge_a"` // currents of one module, 0 for the typical C rates
	PeakA         float64 `gorm:"column:peak_a"`
	ChargeA       float64 `gorm:"column:charge_a"`
	ChargePeakA   float64 `gorm:"column:charge_peak_a"`
	FullVolts     float64 // of a group, at which the type counts as full; 0 for the charge limit
	PostsJoined   bool    // two of its posts may be at one potential, as somebody has seen
	PointsInOrder bool    // posts and pins were listed in the physical order from one end to the other
	Version       int
	CreatedAt     time.Time
	Was           JSON[TypeBefore] // before its last change, empty where nothing was judged anew by it
	ChangeToken   string           // of the form that changed it
}

// Lies is the face of a type: as it was placed, or posts along the top and pins below.
func (t ModuleType) Lies() face.Face {
	posts, pins := strings.Fields(t.Posts), strings.Fields(t.Pins)
	f, err := t.Face.Get()
	if err != nil || len(f.Points) == 0 {
		return face.Default(posts, pins)
	}
	return f.With(posts, pins)
}

// Mounted is how it takes what is bolted to it, zero where nothing is known.
func (t ModuleType) Mounted() (mount.Mount, error) {
	if !t.Mount.Set() {
		return mount.Mount{}, nil
	}
	return t.Mount.Get()
}

// Drawn is what a drawing takes from a type: its face, its size, and its points by preference.
func (t ModuleType) Drawn() floor.Unit {
	m, _ := t.Mounted() // without it the words count
	return floor.Unit{Face: t.Lies(), Front: strings.Fields(t.Posts), Taps: strings.Fields(t.Pins),
		Thread: cmp.Or(m.Fastener(), t.Thread),
		Case:   floor.Case{WMM: t.WidthMM, DMM: t.DepthMM, HMM: t.HeightMM, Kg: t.ModuleKg}}
}

// TypeBefore is what of a type judges its modules.
type TypeBefore struct {
	Chemistry chem.ID           `json:"Chemistry"`
	RatedAh   float64           `json:"RatedAh"`
	Curve     JSON[chem.Points] `json:"Curve"`
}

// Module is one salvaged unit. Verdict, CapacityAh, ResistanceMohm, Class and Fitness are the
// newest derived results, kept here so that lists are quick; they can be computed again.
type Module struct {
	ID             int64
	Number         string
	LotID          int64
	TypeID         int64
	PlateAh        float64
	PlateNote      string
	FloodOrRecall  bool
	Station        station.Station
	StationSince   time.Time
	Quarantined    bool
	QuarantineWhy  string
	EverBelowNever bool
	Verdict        survey.Verdict
	CapacityAh     float64
	ResistanceMohm float64
	Class          grade.Class
	Fitness        grade.Fitness
	BankID         *int64
	Hold           string // what keeps it from a bank, in one line; derived, kept so that lists are quick
	HoldRules      string // the version of the rules that made Hold and BankDoubt
	ClassWas       string // the grade that a change of its type took back, so that it can come back
	FitnessWas     string
	BankDoubt      string // why it must not stay in its bank; derived, kept so that lists are quick
	LayoutID       *int64 // a layout of its own, where it differs from its type
	Allowed        string // why a watched one was let into a bank, and by whom; "" where nobody did
	History        string // asked: '', unknown, clean, flood, crash, recall
	HistoryNote    string
	Regroup        string  // the way that is worked on it now, "" for none
	RegroupRound   int     // how often one was begun
	Became         string  // the modules that it was cut or regrouped into, "" for none
	ParentID       *int64  // the module that it came of
	ParentShare    float64 // what a group of it carries of what one of that did
	MadeOf         string  // and what of it
	Version        int
	CreatedAt      time.Time
}

// Withdrawal is a reading that a person took back as a mistake, with the reason and the survey that holds
// the second reading. Both stay on record.
type Withdrawal struct {
	ID       int64
	ModuleID int64
	SurveyID int64
	GroupNo  int
	SecondID int64
	Reason   string
	By       string
	At       time.Time
	Token    string
}

// ProbeSet is the readings of one mapping session; Source says typed, pasted or file.
type ProbeSet struct {
	ID         int64
	ModuleID   int64
	TakenBy    string
	TakenAt    time.Time
	Instrument string
	Source     string
	Token      string
}

// ProbeReading is one reading of a set.
type ProbeReading struct {
	SetID         int64 `gorm:"primaryKey"`
	Line          int   `gorm:"primaryKey"`
	Red           string
	Black         string
	Volts         float64
	LastDigit     float64
	AccuracyVolts float64
}

// Layout is an accepted map of a type, as JSON of layout.Map.
type Layout struct {
	ID           int64
	TypeID       int64
	SetID        *int64 // the readings it was made from, nil for one that was declared
	Map          JSON[layout.Map]
	Declared     string // how somebody said it is, without mapping; "" for one that was mapped
	RulesVersion string
	AcceptedBy   string
	AcceptedAt   time.Time
}

// Inspection is one look; Signs are words separated by blanks, Outcome the consequence, Findings
// JSON of []finding.Finding. ThicknessMM is 0 where it was not measured.
type Inspection struct {
	ID          int64
	ModuleID    int64
	SeenBy      string
	SeenAt      time.Time
	Signs       string
	Outcome     look.Outcome
	Note        string
	ThicknessMM float64 `gorm:"column:thickness_mm"`
	Findings    Findings
	Token       string
}

// Picture is a photograph, scaled and without any data but the picture itself. Kind is module, look, screen (of an
// instrument) or step. OriginalSha256 is of the file as it was sent, so that the same picture is known again.
type Picture struct {
	ID             int64
	Kind           string
	ModuleID       *int64
	TypeID         *int64
	BankID         *int64
	InspectionID   *int64
	Caption        string
	Sha256         string
	OriginalSha256 string
	Width          int
	Height         int
	TakenBy        string
	TakenAt        time.Time
	Token          string
}

// Teardown is how a type is opened, as JSON of []teardown.Step. A change is a new row.
type Teardown struct {
	ID        int64
	TypeID    int64
	Steps     JSON[[]teardown.Step]
	WrittenBy string
	WrittenAt time.Time
	Token     string
}

// TeardownRecord is one step of one module, undone or done up again.
type TeardownRecord struct {
	ID         int64
	ModuleID   int64
	TeardownID int64
	Step       string
	Way        string
	Fasteners  int
	Parts      int
	DoneBy     string
	DoneAt     time.Time
	Token      string
}

// BankSurvey is the group voltages of a whole bank in one sitting. RestMinutes is negative where not known.
type BankSurvey struct {
	ID            int64
	BankID        int64
	TakenBy       string
	TakenAt       time.Time
	Instrument    string
	AccuracyVolts float64
	RestMinutes   float64
	TempC         *float64
	Volts         JSON[[]float64]  // of every group, empty where not all were read
	Part          JSON[whole.Read] // what was read where not all were
	Result        JSON[whole.Standing]
	Token         string
}

// Lead is a lead between a module type and an instrument.
type Lead struct {
	ID        int64
	Name      string
	TypeID    int64
	Spec      JSON[lead.Lead]
	Note      string
	Version   int
	CreatedAt time.Time
}

// LeadCheck is one check of a lead as it was then: Spec is what was checked. Kind is continuity or volts.
type LeadCheck struct {
	ID       int64
	LeadID   int64
	Spec     JSON[lead.Lead]
	Kind     string
	ModuleID *int64
	Readings JSON[any]
	OK       bool `gorm:"column:ok"`
	Findings Findings
	TakenBy  string
	TakenAt  time.Time
	Token    string
}

// Survey is one sitting with one module. RestMinutes is negative where not known.
type Survey struct {
	ID            int64
	ModuleID      int64
	TakenBy       string
	TakenAt       time.Time
	Instrument    string
	AccuracyVolts float64
	RestMinutes   float64
	TempC         *float64
	CorrectsID    *int64
	PictureID     *int64 // of the instrument's screen it was typed from
	Token         string
}

// SurveyReading is one group's voltage, and what was typed for it.
type SurveyReading struct {
	SurveyID int64 `gorm:"primaryKey"`
	GroupNo  int   `gorm:"primaryKey"`
	Volts    float64
	AsTyped  string
	Span     int    // groups read together because a tap is broken, 1 for one
	Reason   string // why
}

// SurveyResult is what the rules made of a survey, as JSON of survey.Result.
type SurveyResult struct {
	SurveyID     int64 `gorm:"primaryKey"`
	RulesVersion string
	Verdict      survey.Verdict
	Result       JSON[survey.Result]
}

// Blob is an original file, compressed, under the hash of its contents.
type Blob struct {
	Sha256 string `gorm:"primaryKey"`
	Size   int64
	Gzip   []byte
}

// Test is a test of a module, of a part of it, or of a bank: what was given of it, and how far it is while it is
// worked.
type Test struct {
	ID        int64
	Source    kind.Source
	Subject   string // module, bank, standing
	SubjectID int64
	ModuleID  int64 `gorm:"->"` // 0 where it is of no module
	FromGroup int   // of the part that was tested alone, 0 for the whole module
	ToGroup   int
	Replaces  int64                 // the reading of the same file that it takes the place of, 0 for none
	Given     JSON[json.RawMessage] // as its kind has it
	By        string
	At        time.Time // it came, or began
	Token     string
	Was       string // the address of its row in an older workshop, "" for none

	FileName string
	Sha256   string `gorm:"default:null"`

	Steps       JSON[[]steps.Step]
	Channel     int // of the cycler, 0 for none
	AtStep      int
	StepAt      *time.Time // when the step under way began, by hand
	BaseSeconds float64    // what the steps before AtStep took, and the pauses of this one
	State       string     // "" where it was never under way
	Trouble     string     // why nothing is heard of it, "" while it is
	Findings    Findings
	EndedAt     *time.Time

	GaveAt    *time.Time // since when it has a result
	GaveToken string     // of the form that gave it
}

// OfModule is a new test of a module.
func OfModule(source kind.Source, id int64) Test {
	return Test{Source: source, Subject: "module", SubjectID: id, ModuleID: id}
}

// Had is a test that has its result from its beginning.
func (t Test) Had() Test {
	at := t.At
	t.GaveAt, t.GaveToken = &at, t.Token
	return t
}

// Came is when it came to its result, or when it began.
func (t Test) Came() time.Time {
	if t.GaveAt != nil {
		return *t.GaveAt
	}
	return t.At
}

// Logged reports whether a log lies behind it.
func (t Test) Logged() bool { return t.Sha256 != "" }

// First is the first group of the module that was on the clamps.
func (t Test) First() int { return max(1, t.FromGroup) }

// PartName says which part of a module a test is of, "" for the whole.
func (t Test) PartName() string {
	if t.FromGroup == 0 {
		return ""
	}
	return parts.Name(t.FromGroup, t.ToGroup)
}

// TestReading is what was read while a test was worked. Seconds count from its beginning or, by hand, from that of its
// step; Ah is the device's own counter.
type TestReading struct {
	ID      int64
	TestID  int64
	AtStep  int
	Seconds float64
	Volts   float64
	Amps    float64
	TempC   *float64
	Ah      float64
	Cells   JSON[[]float64]
	By      string
	At      time.Time
	Token   string `gorm:"default:null"`
}

// TestResult is what the rules made of a test, as its kind has it, and of a log what its picture is drawn from.
type TestResult struct {
	TestID       int64 `gorm:"primaryKey"`
	RulesVersion string
	Gave         JSON[json.RawMessage]
	Thin         JSON[logview.Thin]
}

// GradeLimits are the shop's own limits for its classes, as shares of rated capacity and of the type's median
// resistance. The newest count; each grade says by which it was given.
type GradeLimits struct {
	ID            int64
	ClassA        float64
	ClassB        float64
	ClassC        float64
	ResistanceCap float64
	Why           string
	By            string
	At            time.Time
	Token         string
}

// Policy is the limits as the rules take them.
func (l GradeLimits) Policy() grade.Policy {
	return grade.Policy{ClassA: l.ClassA, ClassB: l.ClassB, ClassC: l.ClassC, ResistanceCap: l.ResistanceCap}
}

// Grading is one judgement of a module, as JSON of grade.Grade.
type Grading struct {
	ID           int64
	ModuleID     int64
	GradedBy     string
	GradedAt     time.Time
	RulesVersion string
	Class        grade.Class
	Fitness      grade.Fitness
	Grade        JSON[grade.Grade]
}

// Bank is a bank of any origin. One that is built here is a need, and once designed the design that answers it.
type Bank struct {
	ID           int64
	Name         string
	Client       string
	Need         JSON[plan.Need]
	Design       JSON[plan.Design]
	RulesVersion string
	BMS          string           `gorm:"column:bms"`
	Device       JSON[bms.Device] // the BMS as it was known when it was chosen; empty for older choices
	Station      station.Station
	StationSince time.Time
	// DesignVersion counts designs and choices of a BMS: what was measured on one does not hold for the next.
	DesignVersion int
	DesignToken   string           // of the form that made the design, so that it can be undone at once
	Parts         JSON[plan.Parts] // JSON of plan.Parts: ratings of fuse, cables and bonds
	Version       int
	CreatedAt     time.Time

	Origin Origin               `gorm:"default:built"` // where it comes from
	LotID  *int64               // a pack came with
	Opened JSON[standing.Bank]  // how it is opened, of one that stands
	Cells  JSON[standing.Cells] // what is known of the inside of one that stands, empty for nothing
	Pack   JSON[pack.Pack]      // what a pack was as it arrived
	Note   string
	Was    string // the address of its row in an older workshop, "" for none

	DrawingID *int64 // the drawing that is shown, nil where nobody drew it
	BuiltByID *int64 // the drawing that it is built by, nil where its design alone counts
}

// Drawing is a bank as it was drawn after one change. AfterID is the row that the change was made to, nil where a
// drawing began.
type Drawing struct {
	ID      int64
	BankID  int64
	AfterID *int64
	Body    JSON[floor.Drawing]
	Said    string
	DrawnBy string
	DrawnAt time.Time
	Token   string
}

// HandPart is how many of a part a workshop has, by the key of its line in a list of parts.
type HandPart struct {
	Key    string `gorm:"primaryKey"`
	Count  int
	SaidBy string
	SaidAt time.Time
}

// Origin is where a bank comes from.
type Origin string

// The origins.
const (
	Built  Origin = "built"    // here, from modules
	Stands Origin = "standing" // as somebody else built it
	Whole  Origin = "pack"     // a pack on its way apart
)

// OwnDevice is a BMS of the workshop's own, as far as it is known.
type OwnDevice struct {
	ID        int64
	Name      string
	Spec      JSON[bms.Device]
	Note      string
	Version   int
	CreatedAt time.Time
}

// Strike is something that was typed by mistake and counts no more, with the reason. The row stays.
type Strike struct {
	ID       int64
	Kind     string
	RowID    int64
	ModuleID *int64
	Reason   string
	By       string
	At       time.Time
	Token    string
}

// SenseCheck is one measurement of a BMS's leads before its plug goes in.
type SenseCheck struct {
	ID            int64
	BankID        int64
	TakenBy       string
	TakenAt       time.Time
	BMS           string `gorm:"column:bms"`
	Instrument    string
	AccuracyVolts float64  // 0 not known
	TopVolts      *float64 // the top lead against the end of lead 0, nil where it was not read
	DesignVersion int
	Verdict       JSON[sense.Verdict]
	Token         string
}

// AccuracyMV is the meter's accuracy in millivolts.
func (c SenseCheck) AccuracyMV() float64 { return math.Round(c.AccuracyVolts*1e6) / 1e3 }

// SenseReading is one lead's voltage against the main negative.
type SenseReading struct {
	CheckID int64 `gorm:"primaryKey"`
	Input   int   `gorm:"primaryKey"`
	Volts   float64
	AsTyped string
}

// Event is a line of the life of a module, bank, lot or type.
type Event struct {
	ID       int64
	At       time.Time
	Who      string
	Kind     string
	ModuleID *int64
	BankID   *int64
	LotID    *int64
	TypeID   *int64
	Text     string
}

// KeptWorking is a working that was kept with a bank: its inputs as they were typed, and what it said then.
type KeptWorking struct {
	ID      int64
	BankID  int64
	Working string // the working's key
	Inputs  JSON[map[string]string]
	Says    string
	Level   string
	By      string
	At      time.Time
	Token   string
}

// BenchKit is what stood on the bench since somebody wrote it down.
type BenchKit struct {
	ID    int64
	Kit   JSON[kit.Kit]
	By    string
	At    time.Time
	Token string
}

// BenchPin holds a module that waits for its test to a channel of the bench.
type BenchPin struct {
	ModuleID int64 `gorm:"primaryKey"`
	Channel  string
}

// Submission remembers a form that was saved, so that sending it again saves nothing twice.
type Submission struct {
	Token  string `gorm:"primaryKey"`
	At     time.Time
	Path   string
	Undone bool // what it saved was taken back since
}

// ModuleCheck is the quick check of a module against its type's layout; Readings is JSON of
// []layout.Reading in the order of the plan, Findings of []finding.Finding.
type ModuleCheck struct {
	ID       int64
	ModuleID int64
	LayoutID int64
	TakenBy  string
	TakenAt  time.Time
	Readings JSON[[]layout.Reading]
	Findings Findings
	Token    string
}

// ModuleRead is a sitting with a module in which not every group was read: end to end, only some, or only how far apart
// they are. AsTyped is what was typed of the total. RestMinutes is negative where not known.
type ModuleRead struct {
	ID            int64
	ModuleID      int64
	TakenBy       string
	TakenAt       time.Time
	Instrument    string
	AccuracyVolts float64
	RestMinutes   float64
	TempC         *float64
	Part          JSON[whole.Read]
	AsTyped       string
	Token         string
}

// IsolationCheck is a module's readings against its case, as JSON of layout.CaseReadings, with the verdict.
type IsolationCheck struct {
	ID       int64
	ModuleID int64
	TakenBy  string
	TakenAt  time.Time
	Readings JSON[isolation.Readings]
	Verdict  isolation.Verdict
	Findings Findings
	Token    string
}

// StepRecord is one step of work with gates as it was done. Kind is the procedure, SubjectID what it is done on,
// Version the state of that for which the record counts. Value is the number read, 0 where none was; Reading is what
// was typed, Override the written reason for going on past a stop.
type StepRecord struct {
	ID        int64
	Kind      string
	SubjectID int64
	Version   int
	Step      string
	DoneBy    string
	DoneAt    time.Time
	OK        bool `gorm:"column:ok"`
	Value     float64
	Reading   string
	Findings  Findings
	Override  string
	Token     string
}

// Models are the rows that hold a value of the core as JSON: a test reads rows of every version by them.
func Models() []any {
	return []any{ModuleType{}, Layout{}, Inspection{}, Teardown{}, BankSurvey{},
		Test{}, TestReading{}, TestResult{}, Lead{}, LeadCheck{}, Survey{}, SurveyResult{}, Grading{}, Bank{},
		Drawing{}, OwnDevice{}, SenseCheck{}, KeptWorking{}, BenchKit{}, ModuleCheck{},
		IsolationCheck{}, ModuleRead{}, StepRecord{}, ProbeSet{}, Module{}}
}
