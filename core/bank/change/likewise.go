package change

import (
	"math"

	"pandrel/core/bank/floor"
)

// Pair is two points to be joined.
type Pair struct{ A, B string }

// Likewise lists the joints along a row that are like the one from a to b: from the same post of each next module to
// the
// same post of the one that lies nearest to it, and of the modules before it likewise. The row ends where a post is
// joined
// already, or where the next one stands three times as far away: modules that lie in turn have a short link and a long.
func Likewise(d floor.Drawing, units floor.Units, a, b string) (out []Pair) {
	spots := d.AllSpots(units)
	sa, okA := spots[a]
	sb, okB := spots[b]
	if !okA || !okB || sa.Piece == sb.Piece || !d.IsModule(sa) || !d.IsModule(sb) || sa.Pin || sb.Pin {
		return nil
	}
	far := math.Hypot(sa.X-sb.X, sa.Y-sb.Y)*3 + 2*floor.Gap
	used := map[string]bool{sa.Piece: true, sb.Piece: true}
	for _, dir := range []struct{ at, from, to string }{{sb.Piece, sa.Pole, sb.Pole}, {sa.Piece, sb.Pole, sa.Pole}} {
		at := dir.at
		for {
			from, ok := spots[at+"."+dir.from]
			if !ok || len(d.At(from.Name)) > 0 {
				break
			}
			next, ok := nearest(&d, spots, from, dir.to, far, used)
			if !ok {
				break
			}
			p := Pair{from.Name, next.Name}
			if dir.to == sa.Pole { // as the first one goes
				p = Pair{next.Name, from.Name}
			}
			out = append(out, p)
			used[next.Piece] = true
			at = next.Piece
		}
	}
	return out
}

// nearest is the post of a name nearest to a point, of a module that is not in the row yet and hangs on nothing there.
func nearest(d *floor.Drawing, spots map[string]floor.Spot, from floor.Spot, pole string, far float64,
	used map[string]bool) (s floor.Spot,
	ok bool) {
	best := far
	for _, p := range d.Pieces { // in the order of the drawing: of equals the first
		o, is := spots[p.ID+"."+pole]
		if !is || p.Kind != floor.Module || used[p.ID] || len(d.At(o.Name)) > 0 || o.Layer != from.Layer {
			continue
		}
		if dist := math.Hypot(o.X-from.X, o.Y-from.Y); dist < best-1e-9 {
			best, s, ok = dist, o, true
		}
	}
	return s, ok
}
