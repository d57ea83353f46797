package picture

import (
	"bytes"
	"context"
	"encoding/base64"
	"html/template"
	"image"
	"image/color"
	"image/png"
	"strings"

	"dogear/core/plan"
	"dogear/web/book"
)

// SmallPicture bounds the picture that goes along with a plan, px.
const SmallPicture = 200

// PlanPicture draws a print in its colours for a plan that is handed on.
func (s *Painter) PlanPicture(ctx context.Context, b *book.Book, m *book.Marked) (string, error) {
	cv, err := s.Model(ctx, b, m, len(b.Ix.Layers), 0)
	if err != nil {
		return "", err
	}
	raw, err := cv.png("slant", m.Bands(b.Ix), SmallPicture)
	if err != nil || raw == nil {
		return "", err
	}
	return plan.PicturePrefix + base64.StdEncoding.EncodeToString(raw), nil
}

// png draws a view in colours, at most so many pixels wide and high; nil when there is
// nothing to see.
func (cv *Cover) png(view string, bands []book.Band, most int) ([]byte, error) {
	p := cv.Model.View(view)
	if p.W == 0 || p.H == 0 {
		return nil, nil
	}
	colours := make([]color.NRGBA, len(cv.Parts))
	for i, q := range cv.Parts {
		c := bands[0].Colour
		for _, x := range bands {
			if x.From < q.Layer || x.From == q.Layer && x.Line <= q.Line {
				c = x.Colour
			}
		}
		colours[i] = rgb(c)
	}
	by := max(1, (max(p.W, p.H)+most-1)/most)
	img := image.NewNRGBA(image.Rect(0, 0, p.W/by, p.H/by))
	for y := range p.H / by {
		for x := range p.W / by {
			k := y*by*p.W + x*by
			if id := p.Part[k]; id > 0 && int(id) <= len(colours) {
				img.SetNRGBA(x, y, shaded(colours[id-1], p.Shade[k]))
			}
		}
	}
	var out bytes.Buffer
	err := png.Encode(&out, img)
	return out.Bytes(), err
}

// shaded is a colour in light and shade, as the cover has it: 128 leaves it.
func shaded(c color.NRGBA, shade uint8) color.NRGBA {
	s := float64(shade) / 128
	f := func(v uint8) uint8 {
		if s <= 1 {
			return uint8(float64(v) * (0.35 + 0.65*s))
		}
		return uint8(float64(v) + (255-float64(v))*(s-1)*0.5)
	}
	return color.NRGBA{f(c.R), f(c.G), f(c.B), 255}
}

// rgb reads a colour written as #rrggbb; anything else is grey.
func rgb(s string) color.NRGBA {
	var v [3]uint8
	if len(s) != 7 || s[0] != '#' {
		return color.NRGBA{138, 143, 145, 255}
	}
	for i := range v {
		v[i] = hexDigit(s[1+2*i])<<4 | hexDigit(s[2+2*i])
	}
	return color.NRGBA{v[0], v[1], v[2], 255}
}

func hexDigit(c byte) uint8 {
	return uint8(max(0, strings.IndexByte("0123456789abcdef", c|0x20)))
}

// SanePicture is the picture of a plan that somebody has brought, when it is one
// that can be shown; nothing else becomes an address in a page.
func SanePicture(s string) template.URL {
	text, ok := strings.CutPrefix(s, plan.PicturePrefix)
	if !ok {
		return ""
	}
	raw, err := base64.StdEncoding.DecodeString(text)
	if err != nil {
		return ""
	}
	c, err := png.DecodeConfig(bytes.NewReader(raw))
	if err != nil || c.Width > 2000 || c.Height > 2000 {
		return ""
	}
	return template.URL(plan.PicturePrefix + base64.StdEncoding.EncodeToString(raw))
}
