package frame

import (
	"context"
	"fmt"

	"pandrel/core/base/chart"
	"pandrel/core/module/sample"
	"pandrel/draw"
)

// leastFigures is how many results it takes before their distribution is drawn.
const leastFigures = 3

// FigurePictures draws how the results of a lot or a type are distributed: of is lot_id or type_id.
func (sv *Frame) FigurePictures(ctx context.Context, of string, id int64) (out []string, err error) {
	f, err := sv.Shop.Desk.FiguresOf(ctx, of, id)
	if err != nil {
		return nil, err
	}
	if len(f.SoHPct) >= leastFigures {
		out = append(out, histogram("State of health, per cent of rated", "modules", f.SoHPct, 5))
	}
	if len(f.MOhm) >= leastFigures {
		out = append(out, histogram("Resistance, mΩ", "modules", f.MOhm, sample.NiceWidth(f.MOhm)))
	}
	return out, nil
}

func histogram(title, y string, values []float64, width float64) string {
	bins, width := sample.Bins(values, width)
	c := chart.Chart{Title: title, X: title, Y: y, Bars: true, Curves: []chart.Curve{{Name: y}}}
	for i, b := range bins {
		c.Curves[0].Points = append(c.Curves[0].Points, [2]float64{float64(i), float64(b.Count)})
		c.Labels = append(c.Labels, fmt.Sprintf("%.4g to %.4g", b.Low, b.Low+width))
	}
	return draw.Chart(c)
}
