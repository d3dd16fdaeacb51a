package live

import (
	"bufio"
	"bytes"
	"compress/flate"
	"compress/gzip"
	"compress/zlib"
	"errors"
	"io"
	"net/http"
	"strings"

	"github.com/andybalholm/brotli"
	"github.com/klauspost/compress/zstd"
	"golang.org/x/net/html/charset"
)

// mostCodings is how often an answer may be packed.
const mostCodings = 4

// errUnknownCoding says that an answer is packed in a way that nobody here can read.
var errUnknownCoding = errors.New("unknown content coding")

// unpacked reads an answer whose Content-Encoding says how it is packed (RFC 9110 section 8.4.1,
// RFC 7932, RFC 8878), whoever asked for that. name is the coding that cannot be read, or
// is broken.
func unpacked(h http.Header, body io.Reader) (r io.Reader, name string, err error) {
	values := h["Content-Encoding"]
	if len(values) == 0 {
		return body, "", nil
	}
	var codings []string
	for c := range strings.SplitSeq(strings.Join(values, ","), ",") {
		if c = strings.ToLower(strings.TrimSpace(c)); c != "" && c != "identity" {
			codings = append(codings, c)
		}
	}
	if len(codings) > mostCodings {
		return nil, codings[0], errUnknownCoding
	}
	r = body
	for i := len(codings) - 1; i >= 0; i-- {
		name = codings[i]
		switch name {
		case "gzip", "x-gzip":
			r, err = gzip.NewReader(r)
		case "br":
			r = brotli.NewReader(r)
		case "deflate":
			r, err = inflated(r)
		case "zstd":
			r, err = zstd.NewReader(r, zstd.WithDecoderConcurrency(1), zstd.WithDecoderLowmem(true),
				zstd.WithDecoderMaxWindow(8<<20)) // RFC 9659
		default:
			return nil, name, errUnknownCoding
		}
		if err != nil {
			return nil, name, err
		}
	}
	return r, name, nil
}

// inflated reads deflate, which is zlib's form by the standard and often the bare one.
func inflated(r io.Reader) (io.Reader, error) {
	b := bufio.NewReader(r)
	head, err := b.Peek(2)
	if err == nil && head[0]&0x0f == 8 && (int(head[0])<<8|int(head[1]))%31 == 0 {
		return zlib.NewReader(b)
	}
	return flate.NewReader(b), nil
}

// asUTF8 gives a page in UTF-8, by its byte-order mark, the charset of its header or its own word
// (the Encoding Standard; the HTML Standard, section 13.2.3.2).
func asUTF8(octets []byte, contentType string) []byte {
	if plainASCII(octets) && !strings.Contains(strings.ToLower(contentType), "utf-16") {
		return octets
	}
	e, name, _ := charset.DetermineEncoding(octets, contentType)
	if name == "utf-8" || e == nil {
		return bytes.TrimPrefix(octets, []byte("\xef\xbb\xbf"))
	}
	out, err := e.NewDecoder().Bytes(octets)
	if err != nil {
		return octets
	}
	return bytes.TrimPrefix(out, []byte("\xef\xbb\xbf"))
}

// plainASCII reports whether a page reads the same in every charset but those of two octets a
// letter.
func plainASCII(octets []byte) bool {
	for _, c := range octets {
		if c >= 0x80 || c == 0 || c == 0x1b {
			return false
		}
	}
	return true
}
