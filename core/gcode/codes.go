package gcode

import (
	"strings"
)

func (m *Machine) g(c *Command, a *Act) {
	if c.Sub != 0 {
		a.Kind = Unknown
		if c.Code == 5 && c.Sub == 1 {
			m.curve(c, a)
		}
		if c.Code == 38 {
			a.Kind = Probe
		}
		return
	}
	switch c.Code {
	case 2, 3:
		if m.Aux != nil && m.Plane() != "G17" {
			m.curve(c, a)
			return
		}
		m.arc(c, a)
	case 5:
		m.curve(c, a)
	case 4:
		a.Kind = Dwell
		a.Dwell = float64(c.Value('P'))/1e9 + float64(c.Value('S'))/1e6
	case 10, 11:
		// With P, L or S it sets tool offsets and the like, which stay in force.
		if c.Has('P') || c.Has('L') || c.Has('S') && c.Value('S') > 1_000_000 {
			a.Kind = Lasting
			m.setSticky("G10 P"+itoa(c.Value('P')/1_000_000), plain(c))
			return
		}
		// Firmware retraction: a debt whose length only the printer knows.
		a.From = m.Pos
		if c.Code == 10 && !m.Pulled {
			m.Pulled, a.Kind = true, Pull
		} else if c.Code == 11 && m.Pulled {
			m.Pulled, a.Kind = false, Push
		}
	case 17, 18, 19:
		a.Kind = Mode
		if c.Code != 17 || m.setting("plane") != "" {
			m.setSticky("plane", c.Word())
		}
	case 53:
		// The rest of the line goes by the machine's own places, which are not known
		// here; the next absolute move says where the head is.
		a.Kind, m.Known = Unknown, 0
	case 54, 55, 56, 57, 58, 59:
		a.Kind = Lasting
		if c.Code > 54 || m.setting("workspace") != "" {
			m.setSticky("workspace", c.Word())
		}
	case 20, 21:
		m.Inch, a.Kind = c.Code == 20, Mode
	case 28:
		a.Kind = Home
		a.From = m.Pos
		all := !c.given('X') && !c.given('Y') && !c.given('Z')
		for k := range 3 {
			if all || c.given(byte('X'+k)) {
				m.Pos[k], m.Off[k] = 0, 0
				m.Known |= 1 << k
			}
		}
	case 29, 30, 31, 32, 33, 34, 35, 38, 80:
		a.Kind = Probe
	case 90, 91:
		m.RelXYZ, a.Kind = c.Code == 91, Mode
		if !m.ESet && !m.KeepE {
			m.RelE = m.RelXYZ
		}
	case 92:
		m.setAxis(c)
		a.Kind = SetAxis
	default:
		a.Kind = Unknown
	}
}

func (c *Command) given(l byte) bool { return (c.has|c.bare)&(1<<(l-'A')) != 0 }

// setAxis carries out G92: from now on the present place has the number given.
// A bare G92 names all axes zero.
func (m *Machine) setAxis(c *Command) {
	all := c.has&(1<<('E'-'A')|7<<('X'-'A')) == 0 && c.bare == 0 && len(c.Bad) == 0
	for k := range 3 {
		l := byte('X' + k)
		if !all && !c.Has(l) {
			continue
		}
		v := m.length(c.Value(l))
		if m.Known&(1<<k) == 0 {
			// The machine did not know where it was: it is told now.
			m.Pos[k], m.Off[k] = v, 0
			m.Known |= 1 << k
			continue
		}
		m.Off[k] = m.Pos[k] - v
	}
	if all || c.Has('E') {
		m.OffE = m.E - m.axisE(c.Value('E'))
	}
}

func (m *Machine) m(c *Command, a *Act) {
	switch c.Code {
	case 0, 1, 25, 226, 600, 601:
		a.Kind = Stop
	case 400:
		if c.Value('U') == 1_000_000 {
			a.Kind = Stop
		}
	case 17:
	case 18, 84:
		// With an S word it sets the idle time-out; "M84 E" frees only the
		// filament.
		if !c.Has('S') && !(c.given('E') && !c.given('X') && !c.given('Y') && !c.given('Z')) {
			a.Kind = Motors
		}
	case 73:
		a.Kind = Progress
	case 82, 83:
		m.RelE, m.ESet, a.Kind = c.Code == 83, true, Mode
	case 104, 109:
		a.Kind, a.Wait = Heat, c.Code == 109
		v, ok := c.temperature()
		if !ok {
			return
		}
		t := m.Tool
		if c.Has('T') {
			t = int32(c.Value('T') / 1_000_000)
		}
		m.setNozzle(t, v, a.Wait)
	case 140, 190:
		a.Kind, a.Wait = Heat, c.Code == 190
		if v, ok := c.temperature(); ok {
			m.setBed(v)
		}
	case 106, 107:
		a.Kind = FanSet
		v := int64(0)
		if c.Code == 106 {
			v = 255_000_000
			if c.Has('S') {
				v = c.Value('S')
			}
			if v > 0 && v < 1_000_000 && !m.fanOne() {
				m.change().FanOne = true
			}
		}
		if p := c.Value('P'); p != 0 {
			m.setSticky("M106 P"+itoa(p/1_000_000), plain(c))
			return
		}
		m.Fan = v
	case 117, 118:
		a.Kind = Message
	case 110, 115, 105, 114, 108, 300, 155, 150, 355, 20, 21, 22, 23, 24, 27, 28, 29, 31, 75, 76, 77,
		78, 80, 81, 86, 500, 501, 503:
	case 290:
		a.Kind = Lasting
		m.babystep(c)
	case 220, 221:
		a.Kind = Lasting
		if v := c.Value('S'); v > 0 {
			x := m.change()
			if c.Code == 220 {
				x.Speed = v
			} else {
				x.Flow = v
			}
			m.setSticky(c.Word(), plain(c))
		}
	case 200:
		a.Kind = Lasting
		m.setVolume(c)
		m.setSticky(c.Word(), plain(c))
	case 92, 141, 191, 201, 202, 203, 204, 205, 206, 207, 208, 209, 211, 302, 413, 420, 428, 566, 572,
		592, 593,
		665, 666, 851, 900:
		a.Kind = Lasting
		m.setSticky(c.Word(), plain(c))
	default:
		a.Kind = Unknown
		for _, w := range m.StopWords {
			if strings.EqualFold(c.Word(), w) {
				a.Kind = Stop
			}
		}
	}
}

// babystep adds to the shift that M290 has made so far: each one moves the head
// further, so what is in force is their sum.
func (m *Machine) babystep(c *Command) {
	sum := [3]Nano{}
	var was Command
	was.Parse([]byte(m.setting("M290")))
	line := "M290"
	for k := range sum {
		l := byte('X' + k)
		sum[k] = Nano(was.Value(l) + c.Value(l))
		if l == 'Z' && c.Has('S') {
			sum[k] += Nano(c.Value('S'))
		}
		if sum[k] != 0 {
			line += " " + string(AppendMM([]byte{l}, sum[k], 0))
		}
	}
	if line != "M290" || m.setting("M290") != "" {
		m.setSticky("M290", line)
	}
}

// temperature returns the S word, or the R word of the waiting forms.
func (c *Command) temperature() (int64, bool) {
	if c.Has('S') {
		return c.Value('S'), true
	}
	return c.Value('R'), c.Has('R')
}

func itoa(v int64) string { return string(AppendMM(nil, Nano(v)*MM, 0)) }

// plain writes the command back from its words, in the order of the alphabet.
func plain(c *Command) string {
	b := []byte(c.Word())
	for l := byte('A'); l <= 'Z'; l++ {
		if c.Has(l) {
			b = append(b, ' ', l)
			b = AppendMM(b, Nano(c.Value(l)), 0)
		} else if c.Bare(l) {
			b = append(b, ' ', l)
		}
	}
	return string(b)
}

func (m *Machine) macro(c *Command, a *Act) {
	if c.Letter == '?' && (len(c.Name) == 0 || c.Name[0] != '@') {
		a.Kind = Unknown
		return
	}
	a.Kind = Macro
	name := strings.ToUpper(string(c.Name))
	if name == "PAUSE" || name == "@PAUSE" {
		a.Kind = Stop
		return
	}
	for _, w := range m.StopWords {
		if name == strings.ToUpper(w) {
			a.Kind = Stop
			return
		}
	}
	// How long a printer stays awake changes nothing of what it lays.
	if strings.HasPrefix(name, "SET_") && !strings.Contains(name, "IDLE") {
		m.setSticky(name, name+" "+string(c.Text))
		return
	}
	c.params(func(key string, v int64) {
		switch heater(key, v) {
		case 'n':
			m.setNozzle(m.Tool, v, true)
		case 'b':
			m.setBed(v)
		}
	})
}

// heater says whether a parameter of a macro names the temperature of the nozzle ('n')
// or of the bed ('b'): by the words in it ("BED_TEMPERATURE", "NOZZLE", "TOOL_TEMP"), and
// by its value when none of them says that it is a temperature. 0 when it is neither.
func heater(key string, v int64) byte {
	temp, kind := false, byte(0)
	for word := range strings.FieldsFuncSeq(key, func(r rune) bool { return r == '_' || r == '.' }) {
		switch word {
		case "TEMP", "TEMPERATURE", "TEMPS", "CELSIUS":
			temp = true
		case "BEDTEMP", "BEDTEMPERATURE":
			temp, kind = true, 'b'
		case "BED":
			kind = 'b'
		case "EXTRUDER", "NOZZLE", "HOTEND", "TOOL", "HOTENDTEMP", "NOZZLETEMP", "EXTRUDERTEMP":
			kind = 'n'
			temp = temp || strings.HasSuffix(word, "TEMP")
		case "S", "T", "SET", "TARGET", "INITIAL", "FIRST", "LAYER", "FIRSTLAYER", "PRINT", "PRINTING",
			"START", "HEAT", "0", "1":
		default:
			return 0 // BED_MESH, NOZZLE_DIAMETER, CHAMBER_TEMP, …
		}
	}
	const low, high, most = 20_000_000, 100_000_000, 600_000_000
	if v < 0 || v > most || v == 0 && !temp && kind == 'n' && key == "TOOL" {
		return 0
	}
	switch {
	case kind == 0 || temp || v == 0 && key != "TOOL":
		return kind
	case kind == 'n' && v >= high, kind == 'b' && v >= low && v <= 200_000_000:
		return kind
	}
	return 0
}
