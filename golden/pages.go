package golden

import (
	"fmt"
	"regexp"
	"strings"

	"golang.org/x/net/html"
)

// bare is a number with a unit of the trade. Names of classes, of screws and wires, of resistors and of points are
// none, nor a number that is part of a question.
var (
	bare = regexp.MustCompile(`\d (?:V|mV|A|mA|kA|Ah|kWh|Wh|W|mΩ|µΩ|MΩ|Ω|%|°C|mm²|mm|kg|h|min|s)` +
		`(?:[^\wΩ²{]|$)`)
	names = regexp.MustCompile(strings.Join([]string{`\b(?:12|24|48|36|72) V\b`, `\bM\d+\b`, `\bAWG \d+`,
		`\b\d+S\d+P\b`, `[\d.]+ ohm, \d+ W`, `\d+ × [\d.]+ mm`, `esistance(?: of the (?:whole|bank))?,? 10 s`,
		`\bT\d+ A\+`, `10\.00 s`, `make 10 A\?`, `Is 26 V full\?`, `20 to 95 %\?`, `Print at 100 %`}, "|"))
)

// Loose returns the lines of a page's text with a number of the trade that stands as bare text: where one stands in an
// element that says where it comes from, the text has a sign in its place, or a mark in braces behind it.
func Loose(text string) (out []string) {
	for line := range strings.Lines(names.ReplaceAllString(text, "")) {
		if bare.MatchString(line) {
			out = append(out, line)
		}
	}
	return out
}

// Stuck returns the stops and refusals of a page that name no way on, no link and no field inside their own element,
// and links to parts of the page that are not there.
func Stuck(doc *html.Node) (out []string) {
	there := map[string]bool{}
	for n := range doc.Descendants() {
		there[attribute(n, "id")] = true
	}
	for n := range doc.Descendants() {
		if c := attribute(n, "class"); !strings.Contains(c, "finding-stop") && !strings.Contains(c, "finding-refuse") {
			continue
		}
		answered := false
		for c := range n.Descendants() {
			to := attribute(c, "href")
			answered = answered || c.Data == "input" || c.Data == "select" || c.Data == "textarea" || to != "" &&
				!strings.HasPrefix(to, "/rules") && !strings.HasPrefix(to, "/hazards")
			if part, here := strings.CutPrefix(to, "#"); here && !there[part] {
				out = append(out, fmt.Sprintf("the way on from %q leads to %s, which is not there", words(n), to))
			}
		}
		if !answered {
			out = append(out, fmt.Sprintf("no way on from %q", words(n)))
		}
	}
	return out
}

// oneOf finds one thing called by the word for several; what counts as one is the number alone: not 2.1, 0,1 or 4-1.
var oneOf = regexp.MustCompile(`(?:^|[^\d.,:/#–−-])1 (groups|readings|modules|cells|lots|points|banks|leads|` +
	`inputs|tests|strings|steps|records|types|rows|minutes|hours|days|times|pieces|joints|boards|taps|channels|` +
	`lines|samples|pictures|` +
	`lifts|weeks|fields|parts|links|columns|voltages|values|bars|pins|posts|switches|surveys|findings)\b`)

// Plurals returns the places of a page that name one thing as if it were several.
func Plurals(doc *html.Node) (out []string) {
	text := words(doc)
	for _, m := range oneOf.FindAllStringIndex(text, -1) {
		if strings.HasSuffix(text[:m[0]], " block") {
			continue // its name, and what it holds
		}
		out = append(out, fmt.Sprintf("one is called several: …%s…", text[max(0, m[0]-60):min(len(text), m[1]+30)]))
	}
	return out
}

func attribute(n *html.Node, key string) string {
	for _, a := range n.Attr {
		if a.Key == key {
			return a.Val
		}
	}
	return ""
}

// words is the text of an element.
func words(n *html.Node) string {
	var b strings.Builder
	for c := range n.Descendants() {
		if c.Type == html.TextNode {
			b.WriteString(c.Data + " ")
		}
	}
	return strings.Join(strings.Fields(b.String()), " ")
}
