package cli

import (
	"bytes"
	"os"
	"strings"
	"testing"
)

func TestProf(t *testing.T) {
	if os.Getenv("PROF") == "" {
		t.Skip()
	}
	os.Chdir(os.Getenv("PROFDIR"))
	var out bytes.Buffer
	Run(strings.Fields(os.Getenv("PROF")), strings.NewReader(""), &out, &out)
	t.Log(out.String()[:min(300, out.Len())])
}
