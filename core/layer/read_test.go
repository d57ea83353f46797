package layer

import (
	"bytes"
	"context"
	"encoding/json"
	"os"
	"testing"
)

func TestScratch(t *testing.T) {
	for _, f := range []string{"tide-plate", "pocket-block"} {
		b, err := os.ReadFile("../../../shared/samples/" + f + ".gcode")
		if err != nil {
			t.Skip()
		}
		ix, err := Read(context.Background(), bytes.NewReader(b), Options{})
		if err != nil {
			t.Fatal(err)
		}
		r := ix.Report(f)
		n := len(r.Layers)
		r.Layers = append(r.Layers[:3:3], r.Layers[n-1])
		j, _ := json.MarshalIndent(r, "", " ")
		t.Logf("%d layers %s", n, j)
	}
}
