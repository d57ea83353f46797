package layer

import (
	"bytes"
	"context"
	"fmt"
	"reflect"
	"runtime"
	"testing"
)

// TestCores reads the same file on one core and on several, where the lines are taken apart
// ahead: a reading does not depend on the machine it is done on.
func TestCores(t *testing.T) {
	plain := plate(3 << 20)
	var odd bytes.Buffer
	for k, line := range bytes.SplitAfter(plain, []byte("\n")) {
		odd.Write(line)
		switch k % 97 {
		case 3:
			odd.WriteString("G1 X1 Y1 E0 ; G1 X2 Y2 E3\n")
		case 11:
			fmt.Fprintf(&odd, "; %0*d\n", k%5000, k)
		case 23:
			odd.WriteString("G0 X5 Y5\nG1 X30 Y31 F4800\n")
		}
	}
	for name, data := range map[string][]byte{"plain": plain, "odd": odd.Bytes(),
		"crlf": bytes.ReplaceAll(plain, []byte("\n"), []byte("\r\n"))} {
		t.Run(name, func(t *testing.T) {
			read := func(cores int) *Index {
				defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(cores))
				ix, err := Read(context.Background(), bytes.NewReader(data), Options{})
				if err != nil {
					t.Fatal(err)
				}
				return ix
			}
			one := read(1)
			for range 5 {
				if two := read(4); !reflect.DeepEqual(one, two) {
					t.Fatalf("one core reads %d layers, four read %d", len(one.Layers),
						len(two.Layers))
				}
			}
		})
	}
}
