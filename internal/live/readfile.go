package live

import (
	"errors"
	"io"
	"os"
)

// mostFile is how large a file of roots or of registries may be, in octets.
const mostFile = 64 << 20

// readFile reads a file whole, and no further than mostFile.
func readFile(path string) ([]byte, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	data, err := io.ReadAll(io.LimitReader(f, mostFile+1))
	if err == nil && len(data) > mostFile {
		err = errors.New("it is larger than 64 MiB")
	}
	return data, err
}
