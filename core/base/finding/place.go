package finding

// Place is where what a finding asks for is answered: a page of the module that is its subject, or a part of the page
// of the bank or type that is judged. Who shows the finding knows the address; "" leaves it to the list it stands in.
type Place string

// The places of a module, which is the subject.
const (
	PlaceRecord  Place = "record" // an exit, a grade, a reason in writing
	PlaceLook    Place = "look"
	PlaceClose   Place = "close"
	PlaceIsolate Place = "isolate"
	PlaceSurvey  Place = "survey"
	PlaceMap     Place = "map"
	PlaceTest    Place = "test"
	PlaceType    Place = "type"    // what its type says
	PlaceRegroup Place = "regroup" // the steps of cutting it or moving its links
)

// The places of a bank, or of a type.
const (
	PlaceNeed   Place = "need"  // what is asked of it
	PlaceFrost  Place = "frost" // whether it can freeze there
	PlaceBMS    Place = "bms"
	PlaceParts  Place = "parts" // ratings of fuses, cables and bonds
	PlaceHangs  Place = "hangs" // what hangs on it
	PlaceLeads  Place = "leads"
	PlaceGates  Place = "gates"
	PlaceBuild  Place = "build"  // the steps of its build
	PlaceGroups Place = "groups" // a survey of its groups
	PlaceInside Place = "inside" // what is known of it
	PlaceJoints Place = "joints" // bolted or welded
	PlaceKnown  Place = "known"  // what each of its modules is taken to hold
)

// At says where what it asks for is answered.
func (f Finding) At(p Place) Finding {
	f.Place = p
	return f
}
