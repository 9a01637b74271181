// Command plots draws what the benchmarks measured into docs/speed of the repository, from the output of "make bench"
// on its input. It runs in the folder of the tools.
package main

import (
	"bufio"
	"fmt"
	"image/color"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/font"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
)

// share is a rate beside that of a bare reference, which is 1.
type share struct {
	name              string
	benchmark, metric string
	inverse           bool    // the metric is how many times longer it takes
	aim               float64 // at least
}

var shares = []share{
	{"A report with nothing new", "Reports", "in-step/bare", false, 0.5},
	{"A finding opens or is settled", "Reports", "opening-and-settling/bare", false, 0.5},
	{"A check-in with nothing new", "CheckIns", "of-bare", false, 0.75},
	{"A password is deposited", "Deposits", "of-bare", false, 0.6},
	{"An edit for 100,000 devices", "Fleet", "times-bare", true, 1 / 1.5},
}

var (
	ink   = color.RGBA{0x1f, 0x2a, 0x37, 0xff}
	blue  = color.RGBA{0x2f, 0x6d, 0xa8, 0xff}
	brass = color.RGBA{0xb8, 0x86, 0x2b, 0xff}
)

func main() {
	if err := run(os.Stdin, filepath.Join("..", "docs", "speed")); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(output io.Reader, out string) error {
	measured, err := read(output)
	if err != nil {
		return err
	}
	if err := drawShares(measured, filepath.Join(out, "shares.png")); err != nil {
		return err
	}
	return drawVerified(measured["GoToVerified"], filepath.Join(out, "verified.png"))
}

// read reads metrics by benchmark and unit.
func read(output io.Reader) (map[string]map[string]float64, error) {
	measured := map[string]map[string]float64{}
	lines := bufio.NewScanner(output)
	for lines.Scan() {
		fields := strings.Fields(lines.Text())
		if len(fields) < 4 || !strings.HasPrefix(fields[0], "Benchmark") {
			continue
		}
		name, _, _ := strings.Cut(strings.TrimPrefix(fields[0], "Benchmark"), "-")
		metrics := map[string]float64{}
		for pair := range slices.Chunk(fields[2:], 2) {
			value, err := strconv.ParseFloat(pair[0], 64)
			if err != nil || len(pair) < 2 {
				return nil, fmt.Errorf("%s: %q is not what a benchmark prints", name, lines.Text())
			}
			metrics[pair[1]] = value
		}
		measured[name] = metrics
	}
	return measured, lines.Err()
}

func drawShares(measured map[string]map[string]float64, file string) error {
	var values, aims plotter.Values
	var names []string
	for _, s := range slices.Backward(shares) { // the first is to be at the top
		value, there := measured[s.benchmark][s.metric]
		if !there {
			return fmt.Errorf("the benchmark %s says nothing of %s; run make bench whole", s.benchmark, s.metric)
		}
		if s.inverse {
			value = 1 / value
		}
		values, aims, names = append(values, value), append(aims, s.aim), append(names, s.name)
	}
	p := plain("Rates beside a bare reference (1.0), which does the same durable work and nothing else")
	p.X.Label.Text = "share of the bare rate"
	p.NominalY(names...)
	p.Y.Label.Text = " " // keeps the names off the edge
	p.X.Tick.Marker = every(0.5)
	bars, err := plotter.NewBarChart(values, vg.Points(18))
	if err != nil {
		return err
	}
	bars.Horizontal, bars.Color, bars.LineStyle.Width = true, blue, 0
	p.Add(bars, &labels{values})
	for i, aim := range aims {
		mark, err := plotter.NewLine(plotter.XYs{{X: aim, Y: float64(i) - 0.4}, {X: aim, Y: float64(i) + 0.4}})
		if err != nil {
			return err
		}
		mark.Color, mark.Width = brass, vg.Points(2)
		p.Add(mark)
		if i == 0 {
			p.Legend.Add("aim", mark)
		}
	}
	p.X.Min, p.X.Max = 0, max(1.2, slices.Max(values)*1.15)
	p.Legend.YOffs = vg.Points(12)
	return p.Save(vg.Points(760), vg.Points(280), file)
}

// labels writes the value at the end of each bar.
type labels struct{ values plotter.Values }

func (l *labels) Plot(c draw.Canvas, p *plot.Plot) {
	x, y := p.Transforms(&c)
	style := p.X.Tick.Label
	style.XAlign, style.YAlign = draw.XLeft, draw.YCenter
	for i, value := range l.values {
		c.FillText(style, vg.Point{X: x(value) + vg.Points(4), Y: y(float64(i))}, fmt.Sprintf("%.2f", value))
	}
}

func drawVerified(metrics map[string]float64, file string) error {
	curve := plotter.XYs{{X: 0, Y: 0}}
	for unit, seconds := range metrics {
		if percent, found := strings.CutPrefix(unit, "s/"); found {
			share, err := strconv.Atoi(strings.TrimSuffix(percent, "%"))
			if err != nil {
				return fmt.Errorf("a share of verified devices: %w", err)
			}
			curve = append(curve, plotter.XY{X: seconds, Y: float64(share)})
		}
	}
	slices.SortFunc(curve, func(a, b plotter.XY) int { return int(a.Y - b.Y) })
	p := plain(fmt.Sprintf("From an edit to verified: %.0f online devices at two replicas", metrics["devices"]))
	p.X.Label.Text, p.Y.Label.Text = "seconds after the edit", "% of devices verified"
	line, points, err := plotter.NewLinePoints(curve)
	if err != nil {
		return err
	}
	line.Color, line.Width = blue, vg.Points(2)
	points.Color, points.Shape = blue, draw.CircleGlyph{}
	p.Add(plotter.NewGrid(), line, points)
	p.X.Min, p.Y.Min, p.Y.Max = 0, 0, 100
	p.X.Tick.Marker = every(1)
	return p.Save(vg.Points(760), vg.Points(320), file)
}

// every marks an axis at every multiple of a step.
func every(step float64) plot.Ticker {
	return plot.TickerFunc(func(least, most float64) (ticks []plot.Tick) {
		for at := least; at <= most; at += step {
			ticks = append(ticks, plot.Tick{Value: at, Label: fmt.Sprint(at)})
		}
		return ticks
	})
}

func plain(title string) *plot.Plot {
	p := plot.New()
	sans := font.Font{Typeface: "Liberation", Variant: "Sans"}
	for _, style := range []*draw.TextStyle{&p.Title.TextStyle, &p.X.Label.TextStyle, &p.Y.Label.TextStyle,
		&p.X.Tick.Label, &p.Y.Tick.Label, &p.Legend.TextStyle} {
		size := style.Font.Size
		style.Font, style.Color = sans, ink
		style.Font.Size = max(size, vg.Points(11))
	}
	p.Title.Text = title
	p.Title.Padding = vg.Points(8)
	p.BackgroundColor = color.White
	return p
}
