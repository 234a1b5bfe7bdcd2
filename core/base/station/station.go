// Package station names the stations of the path that a module goes along, from the pallet to work.
package station

// Station is where a module or a bank stands on the path.
type Station string

// Stations of the path, in order.
const (
	Receive Station = "receive"
	Inspect Station = "inspect"
	Map     Station = "map"
	Survey  Station = "survey"
	Test    Station = "test"
	Grade   Station = "grade"
	Design  Station = "design"
	Wire    Station = "wire"
	Keep    Station = "keep"
	Out     Station = "out" // rejected, scrapped: off the path
)

// Path lists the stations in order.
var Path = []Station{Receive, Inspect, Map, Survey, Test, Grade, Design, Wire, Keep}

// names are what the screen calls them.
var names = map[Station]string{
	Receive: "Receive", Inspect: "Inspect", Map: "Map", Survey: "Survey", Test: "Test", Grade: "Grade",
	Design: "Design", Wire: "Wire", Keep: "Keep", Out: "Off the path",
}

// Name is what the screen calls a station, "" for one that there is not.
func (s Station) Name() string { return names[s] }

// Known reports whether there is such a station.
func (s Station) Known() bool { return names[s] != "" }
