package doc

import (
	"bytes"
	"fmt"
	"html"
	"image"
	"image/color"
	"image/png"
	"math"
	"strings"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"
	"golang.org/x/image/vector"
)

// Drawing is a picture of few kinds of shapes, in units of a pixel, which can be written as SVG and
// as PNG.
type Drawing struct {
	Title  string
	W, H   float32
	shapes []shape
}

// shape is a filled path, a line, or a text.
type shape struct {
	ink    Ink
	path   [][2]float32 // a polygon; two points are a line
	stroke float32      // how thick the line is; 0: the path is filled
	text   string
	at     [2]float32
	size   float32
	bold   bool
	anchor string // start, middle or end
}

// Ink is what a colour means; each picture gives it its own colour.
type Ink string

// The inks.
const (
	InkText  Ink = "ink"
	InkSoft  Ink = "soft"
	InkLine  Ink = "line"
	inkPaper Ink = "paper"
	InkGood  Ink = "good"
	inkWarn  Ink = "warning"
	InkFail  Ink = "error"
	inkNote  Ink = "note"
)

// InkOf gives the ink of a tone, and tinted the one behind its words.
func InkOf(t Tone) Ink {
	return [...]Ink{Plain: InkSoft, Good: InkGood, Unseen: inkNote, Noted: inkNote, Warned: inkWarn,
		Failed: InkFail}[t]
}

func (i Ink) Tinted() Ink { return i + "-bg" }

// colors are the inks on white paper.
var colors = map[Ink]color.NRGBA{
	InkText: {0x1d, 0x2a, 0x33, 255}, InkSoft: {0x56, 0x65, 0x70, 255},
	InkLine:  {0xdd, 0xe2, 0xe4, 255},
	inkPaper: {255, 255, 255, 255}, InkGood: {0x1f, 0x62, 0x42, 255}, inkWarn: {0x7a, 0x4f, 0x00, 255},
	InkFail: {0x9b, 0x2b, 0x1f, 255}, inkNote: {0x2a, 0x56, 0x80, 255},
	"good-bg":    {0xe8, 0xf3, 0xed, 255},
	"warning-bg": {0xfd, 0xf3, 0xde, 255}, "error-bg": {0xfb, 0xee, 0xec, 255},
	"note-bg": {0xea, 0xf1, 0xf8, 255},
	"soft-bg": {0xfb, 0xfa, 0xf7, 255},
}

func (d *Drawing) Box(x, y, w, h float32, i Ink) {
	d.shapes = append(d.shapes,
		shape{ink: i, path: [][2]float32{{x, y}, {x + w, y}, {x + w, y + h}, {x, y + h}}})
}

func (d *Drawing) Polygon(i Ink, points ...[2]float32) {
	d.shapes = append(d.shapes, shape{ink: i, path: points})
}

func (d *Drawing) Line(i Ink, thick float32, points ...[2]float32) {
	d.shapes = append(d.shapes, shape{ink: i, path: points, stroke: thick})
}

func (d *Drawing) Say(x, y, size float32, i Ink, anchor, text string) {
	d.shapes = append(d.shapes,
		shape{ink: i, at: [2]float32{x, y}, size: size, text: text, anchor: anchor})
}

func (d *Drawing) Shout(x, y, size float32, i Ink, anchor, text string) {
	d.shapes = append(d.shapes,
		shape{ink: i, at: [2]float32{x, y}, size: size, text: text, anchor: anchor, bold: true})
}

// Sign draws the mark of a tone, so that shape says what colour does.
func (d *Drawing) Sign(x, y float32, t Tone) {
	i := InkOf(t)
	switch t {
	case Good:
		d.Line(i, 2, [2]float32{x - 4, y}, [2]float32{x - 1, y + 4}, [2]float32{x + 5, y - 4})
	case Failed:
		d.Line(i, 2, [2]float32{x - 4, y - 4}, [2]float32{x + 4, y + 4})
		d.Line(i, 2, [2]float32{x - 4, y + 4}, [2]float32{x + 4, y - 4})
	case Warned:
		d.Line(i, 2, [2]float32{x, y - 5}, [2]float32{x, y + 1})
		d.Box(x-1, y+3, 2, 2, i)
	default:
		d.Line(i, 2, [2]float32{x - 4, y}, [2]float32{x + 4, y})
	}
}

// SVG writes the drawing. Alone it brings its colours, light and dark; in a page it takes the
// page's.
func (d *Drawing) SVG(alone bool) string {
	var b strings.Builder
	fmt.Fprintf(
		&b,
		`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %g %g" width="%g" height="%g" role="img" aria-label="%s">`,
		d.W,
		d.H,
		d.W,
		d.H,
		html.EscapeString(d.Title),
	)
	fmt.Fprintf(&b, "<title>%s</title>", html.EscapeString(d.Title))
	if alone {
		b.WriteString("<style>" + inkStyle() + "</style>")
		fmt.Fprintf(&b, `<rect width="%g" height="%g" fill="var(--paper)"/>`, d.W, d.H)
	}
	for _, s := range d.shapes {
		switch {
		case s.text != "":
			weight := ""
			if s.bold {
				weight = ` font-weight="600"`
			}
			fmt.Fprintf(&b,
				`<text x="%g" y="%g" font-size="%g" text-anchor="%s" fill="var(--%s)"%s>%s</text>`, s.at[0],
				s.at[1],
				s.size, s.anchor, s.ink, weight, html.EscapeString(s.text))
		case s.stroke > 0:
			fmt.Fprintf(
				&b,
				`<polyline points="%s" fill="none" stroke="var(--%s)" stroke-width="%g"/>`,
				pointsText(s.path),
				s.ink,
				s.stroke,
			)
		default:
			fmt.Fprintf(&b, `<polygon points="%s" fill="var(--%s)"/>`, pointsText(s.path), s.ink)
		}
	}
	b.WriteString("</svg>")
	return b.String()
}

func pointsText(all [][2]float32) string {
	var parts []string
	for _, p := range all {
		parts = append(parts, fmt.Sprintf("%g,%g", p[0], p[1]))
	}
	return strings.Join(parts, " ")
}

// inkStyle gives the colours of a drawing that stands alone.
func inkStyle() string {
	light, _, _ := strings.Cut(pageStyle, "*{box-sizing")
	return "text{font-family:system-ui,'DejaVu Sans',sans-serif}" + light
}

// PNG writes the drawing so many times larger. An error comes from the fonts, which are part of the
// program.
func (d *Drawing) PNG(scale float32) ([]byte, error) {
	picture := image.NewRGBA(image.Rect(0, 0, int(d.W*scale), int(d.H*scale)))
	fill(picture, [][2]float32{{0, 0}, {d.W, 0}, {d.W, d.H}, {0, d.H}}, scale, colors[inkPaper])
	faces, err := newFaces()
	if err != nil {
		return nil, err
	}
	for _, s := range d.shapes {
		switch {
		case s.text != "":
			if err := faces.write(picture, s, scale); err != nil {
				return nil, err
			}
		case s.stroke > 0:
			for i := range s.path[1:] {
				fill(picture, thick(s.path[i], s.path[i+1], s.stroke), scale, colors[s.ink])
			}
		default:
			fill(picture, s.path, scale, colors[s.ink])
		}
	}
	var b bytes.Buffer
	if err := png.Encode(&b, picture); err != nil {
		return nil, fmt.Errorf("drawing: %w", err)
	}
	return b.Bytes(), nil
}

// thick gives a line as a polygon.
func thick(a, b [2]float32, width float32) [][2]float32 {
	dx, dy := b[0]-a[0], b[1]-a[1]
	length := max(0.001, float32(math.Hypot(float64(dx), float64(dy))))
	nx, ny := -dy/length*width/2, dx/length*width/2
	return [][2]float32{{a[0] + nx, a[1] + ny}, {b[0] + nx, b[1] + ny}, {b[0] - nx, b[1] - ny},
		{a[0] - nx, a[1] - ny}}
}

// fill fills a path. Only the part of the picture that it covers is looked at: a drawing has
// thousands of them.
func fill(picture *image.RGBA, path [][2]float32, scale float32, c color.NRGBA) {
	var box image.Rectangle
	for _, p := range path {
		x, y := int(math.Floor(float64(p[0]*scale))), int(math.Floor(float64(p[1]*scale)))
		box = box.Union(image.Rect(x-1, y-1, x+2, y+2))
	}
	if box = box.Intersect(picture.Rect); box.Empty() {
		return
	}
	r := vector.NewRasterizer(box.Dx(), box.Dy())
	left, top := float32(box.Min.X), float32(box.Min.Y)
	for i, p := range path {
		if i == 0 {
			r.MoveTo(p[0]*scale-left, p[1]*scale-top)
			continue
		}
		r.LineTo(p[0]*scale-left, p[1]*scale-top)
	}
	r.ClosePath()
	r.Draw(picture, box, image.NewUniform(c), image.Point{})
}

// faces are the fonts of a picture.
type faces struct {
	plain, bold *opentype.Font
}

func newFaces() (*faces, error) {
	plain, err := opentype.Parse(goregular.TTF)
	if err != nil {
		return nil, fmt.Errorf("drawing: %w", err)
	}
	bold, err := opentype.Parse(gobold.TTF)
	if err != nil {
		return nil, fmt.Errorf("drawing: %w", err)
	}
	return &faces{plain, bold}, nil
}

func (f *faces) write(picture *image.RGBA, s shape, scale float32) error {
	of := f.plain
	if s.bold {
		of = f.bold
	}
	face, err := opentype.NewFace(
		of,
		&opentype.FaceOptions{Size: float64(s.size * scale), DPI: 72, Hinting: font.HintingNone},
	)
	if err != nil {
		return fmt.Errorf("drawing: %w", err)
	}
	defer face.Close()
	pen := font.Drawer{Dst: picture, Src: image.NewUniform(colors[s.ink]), Face: face}
	x := fixed.Int26_6(s.at[0] * scale * 64)
	switch wide := pen.MeasureString(s.text); s.anchor {
	case "middle":
		x -= wide / 2
	case "end":
		x -= wide
	}
	pen.Dot = fixed.Point26_6{X: x, Y: fixed.Int26_6(s.at[1] * scale * 64)}
	pen.DrawString(s.text)
	return nil
}
