package files

import (
	"encoding/base64"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"math"
	"net/netip"
	"strconv"
	"strings"

	"github.com/miekg/dns"
)

// oddTypes are types that the DNS library does not know by name (IANA, Resource Record TYPEs).
var oddTypes = map[string]uint16{"WKS": typeWKS, "NSAP": typeNSAP, "A6": typeA6, "SINK": typeSINK,
	"DSYNC": typeDSYNC, "HHIT": typeHHIT, "BRID": typeBRID, "WALLET": typeWallet}

const (
	typeWKS    = 11
	typeNSAP   = 22
	typeA6     = 38
	typeSINK   = 40
	typeDSYNC  = 66
	typeHHIT   = 67
	typeBRID   = 68
	typeWallet = 262
)

// asOctets are types of which the DNS library's own form is not that of other programs, or loses
// something: they are held as octets (RFC 3597 section 5).
var asOctets = map[uint16]bool{dns.TypeNXT: true, dns.TypeISDN: true, dns.TypeGID: true,
	dns.TypeUID: true, dns.TypeUINFO: true, dns.TypeAMTRELAY: true}

// errData says that data is not what its type has.
var errData = errors.New("this is not what a record of this type holds")

// recordOf makes a record of its data as it stands in a master file. The error comes with the place
// in data, -1 where that is not known.
func recordOf(owner, origin string, code uint16, data []zoneToken) (dns.RR, int, error) {
	if len(data) > 1 && data[0].text == `\#` && !data[0].quoted {
		octets, err := general(data[1:])
		if err != nil {
			return nil, 1, err
		}
		return fromOctets(owner, code, octets)
	}
	if put := octetsOf[code]; put != nil {
		octets, err := put(oddData{data, origin})
		if err != nil {
			return nil, -1, err
		}
		return fromOctets(owner, code, octets)
	}
	if change := plainly[code]; change != nil {
		data = change(data)
	}
	kind := dns.TypeToString[code]
	if kind == "" {
		return nil, 0, errData
	}
	return read(owner, origin, kind, data)
}

// read has the DNS library read data.
func read(owner, origin, kind string, data []zoneToken) (dns.RR, int, error) {
	head := owner + " 0 IN " + kind + " "
	parser := dns.NewZoneParser(strings.NewReader(head+joined(data)+"\n"), origin, "")
	rr, ok := parser.Next()
	if err := parser.Err(); err != nil {
		says := err.Error()
		at := -1
		if m := zonePlace.FindStringSubmatch(says); m != nil {
			column, _ := strconv.Atoi(m[2])
			at = wordAt(data, column-1-len(head))
			says = strings.TrimSuffix(says, " "+m[0])
		}
		return nil, at, errors.New(strings.TrimSpace(strings.TrimPrefix(
			strings.TrimPrefix(strings.TrimPrefix(says, ":"), " "), "dns: ")))
	}
	if !ok || rr == nil || len(data) == 0 && rr.Header().Rrtype != dns.TypeAPL {
		return nil, -1, errData
	}
	return rr, -1, nil
}

// wordAt says which word of a line, as joined writes it, holds an octet.
func wordAt(data []zoneToken, octet int) int {
	for i := range data {
		if len(joined(data[:i+1])) >= octet {
			return i
		}
	}
	return len(data) - 1
}

// general reads the form for types that nobody knows: a length, and hexadecimal digits.
func general(data []zoneToken) ([]byte, error) {
	n, err := strconv.ParseUint(data[0].text, 10, 16)
	if err != nil {
		return nil, errData
	}
	octets, err := hexadecimal(data[1:])
	if err != nil || uint64(len(octets)) != n {
		return nil, errData
	}
	return octets, nil
}

func hexadecimal(data []zoneToken) ([]byte, error) {
	var all strings.Builder
	for _, t := range data {
		all.WriteString(t.text)
	}
	octets, err := hex.DecodeString(all.String())
	if err != nil {
		return nil, errData
	}
	return octets, nil
}

// fromOctets makes a record of data on the wire, of its own type where the DNS library knows it.
func fromOctets(owner string, code uint16, octets []byte) (dns.RR, int, error) {
	unknown := &dns.RFC3597{
		Hdr: dns.RR_Header{Name: owner, Rrtype: code, Class: dns.ClassINET,
			Rdlength: uint16(len(octets))},
		Rdata: hex.EncodeToString(octets),
	}
	if dns.TypeToRR[code] == nil || asOctets[code] {
		return unknown, -1, nil
	}
	wire := make([]byte, len(owner)+len(octets)+300)
	n, err := dns.PackRR(unknown, wire, 0, nil, false)
	if err != nil {
		return nil, -1, errData
	}
	rr, _, err := dns.UnpackRR(wire[:n], 0)
	if err != nil {
		return nil, -1, errData
	}
	return rr, -1, nil
}

// oddData is data that is put on the wire here.
type oddData struct {
	words  []zoneToken
	origin string
}

func (d oddData) text(i int) string {
	if i < len(d.words) {
		return d.words[i].text
	}
	return ""
}

// octetsOf puts the data of a type on the wire.
var octetsOf = map[uint16]func(oddData) ([]byte, error){
	typeWKS: wks, typeNSAP: nsap, typeA6: a6, typeSINK: sink, typeDSYNC: dsync,
	typeHHIT: base64Only, typeBRID: base64Only, typeWallet: texts,
	dns.TypeLOC: location, dns.TypeNXT: nxt, dns.TypeISDN: texts, dns.TypeX25: texts,
	dns.TypeATMA: atma, dns.TypeURI: uri, dns.TypeGPOS: texts,
	dns.TypeAMTRELAY: relay,
}

// numbers reads whole numbers of so many bits each.
func (d oddData) numbers(bits ...int) ([]byte, error) {
	var octets []byte
	for i, size := range bits {
		n, err := strconv.ParseUint(d.text(i), 10, size)
		if err != nil {
			return nil, errData
		}
		for shift := size - 8; shift >= 0; shift -= 8 {
			octets = append(octets, byte(n>>shift))
		}
	}
	return octets, nil
}

func (d oddData) name(i int) ([]byte, error) {
	name, ok := absolute(d.text(i), d.origin)
	if !ok {
		return nil, errData
	}
	wire := make([]byte, 256)
	n, err := dns.PackDomainName(name, wire, 0, nil, false)
	if err != nil {
		return nil, errData
	}
	return wire[:n], nil
}

// texts puts strings on the wire (RFC 1035 section 3.3).
func texts(d oddData) ([]byte, error) {
	var octets []byte
	for _, t := range d.words {
		s := t.plain()
		if len(s) > 255 {
			return nil, errData
		}
		octets = append(append(octets, byte(len(s))), s...)
	}
	if len(octets) == 0 {
		return nil, errData
	}
	return octets, nil
}

func uri(d oddData) ([]byte, error) {
	octets, err := d.numbers(16, 16)
	if err != nil || len(d.words) != 3 {
		return nil, errData
	}
	return append(octets, d.words[2].plain()...), nil
}

func base64Only(d oddData) ([]byte, error) {
	octets, err := base64.StdEncoding.DecodeString(strings.ReplaceAll(joined(d.words), " ", ""))
	if err != nil || len(octets) == 0 {
		return nil, errData
	}
	return octets, nil
}

// sink is what the draft of the type says: coding, subcoding, data.
func sink(d oddData) ([]byte, error) {
	octets, err := d.numbers(8, 8)
	if err != nil || len(d.words) < 3 {
		if len(d.words) != 2 || err != nil {
			return nil, errData
		}
		return octets, nil
	}
	if _, err := strconv.ParseUint(d.text(2), 10, 8); err == nil {
		octets, _ = d.numbers(8, 8, 8)
	}
	rest, err := base64.StdEncoding.DecodeString(strings.ReplaceAll(joined(d.words[len(octets):]),
		" ", ""))
	if err != nil {
		return nil, errData
	}
	return append(octets, rest...), nil
}

// dsync is a type, a scheme, a port and a name (RFC 9859).
func dsync(d oddData) ([]byte, error) {
	code, ok := typeCode(d.text(0))
	if !ok || len(d.words) != 4 {
		return nil, errData
	}
	scheme := d.text(1)
	if strings.EqualFold(scheme, "NOTIFY") {
		scheme = "1"
	}
	rest, err := oddData{[]zoneToken{{text: scheme}, {text: d.text(2)}}, ""}.numbers(8, 16)
	if err != nil {
		return nil, err
	}
	name, err := d.name(3)
	return append(append(binary.BigEndian.AppendUint16(nil, code), rest...), name...), err
}

// relay is a precedence, whether the relay is found by a message, and the relay (RFC 8777 section
// 4).
func relay(d oddData) ([]byte, error) {
	octets, err := d.numbers(8, 1)
	kind, kindErr := strconv.ParseUint(d.text(2), 10, 7)
	if err != nil || kindErr != nil || len(d.words) < 3 {
		return nil, errData
	}
	found, _ := strconv.Atoi(d.text(1))
	octets = append(octets[:1], byte(kind)|byte(found)<<7)
	if kind == 3 {
		name, err := d.name(3)
		return append(octets, name...), err
	}
	a, err := netip.ParseAddr(d.text(3))
	if kind > 3 || kind > 0 && (err != nil || a.Is4() != (kind == 1)) {
		return nil, errData
	}
	return append(octets, a.AsSlice()...), nil
}

// nsap is hexadecimal with dots wherever they help (RFC 1706 section 7).
func nsap(d oddData) ([]byte, error) {
	digits, is := strings.CutPrefix(strings.ToLower(joined(d.words)), "0x")
	octets, err := hex.DecodeString(strings.ReplaceAll(digits, ".", ""))
	if err != nil || !is || len(octets) == 0 {
		return nil, errData
	}
	return octets, nil
}

// atma is a telephone number, or hexadecimal with dots.
func atma(d oddData) ([]byte, error) {
	if number, is := strings.CutPrefix(d.text(0), "+"); is {
		if number == "" || strings.Trim(number, "0123456789") != "" {
			return nil, errData
		}
		return append([]byte{1}, number...), nil
	}
	octets, err := hex.DecodeString(strings.ReplaceAll(d.text(0), ".", ""))
	if err != nil || len(octets) == 0 || len(d.words) != 1 {
		return nil, errData
	}
	return append([]byte{0}, octets...), nil
}

// a6 is how many bits another record brings, the rest of the address, the name of that record (RFC
// 2874 section 3.1).
func a6(d oddData) ([]byte, error) {
	bits, err := strconv.ParseUint(d.text(0), 10, 8)
	if err != nil || bits > 128 {
		return nil, errData
	}
	octets, next := []byte{byte(bits)}, 1
	if bits < 128 {
		a, err := netip.ParseAddr(d.text(1))
		if err != nil || !a.Is6() {
			return nil, errData
		}
		suffix := a.AsSlice()[bits/8:]
		suffix[0] &= 0xff >> (bits % 8)
		octets, next = append(octets, suffix...), 2
	}
	if bits == 0 {
		return octets, nil
	}
	name, err := d.name(next)
	return append(octets, name...), err
}

// services are those that people write by name in WKS records (RFC 1010).
var services = map[string]uint64{"echo": 7, "discard": 9, "systat": 11, "daytime": 13, "netstat": 15,
	"qotd": 17, "chargen": 19, "ftp-data": 20, "ftp": 21, "ssh": 22, "telnet": 23, "smtp": 25,
	"time": 37, "nameserver": 42, "whois": 43, "domain": 53, "bootps": 67, "bootpc": 68, "tftp": 69,
	"gopher": 70, "finger": 79, "http": 80, "kerberos": 88, "pop3": 110, "sunrpc": 111, "auth": 113,
	"nntp": 119, "ntp": 123, "imap2": 143, "snmp": 161, "https": 443}

// wks is an address, a protocol, and a bit for each port (RFC 1035 section 3.4.2).
func wks(d oddData) ([]byte, error) {
	a, err := netip.ParseAddr(d.text(0))
	if err != nil || !a.Is4() {
		return nil, errData
	}
	protocol, ok := map[string]uint64{"tcp": 6, "udp": 17, "icmp": 1}[strings.ToLower(d.text(1))]
	if !ok {
		if protocol, err = strconv.ParseUint(d.text(1), 10, 8); err != nil {
			return nil, errData
		}
	}
	var bits []byte
	for _, t := range d.words[2:] {
		port, ok := services[strings.ToLower(t.text)]
		if !ok {
			if port, err = strconv.ParseUint(t.text, 10, 16); err != nil {
				return nil, errData
			}
		}
		for len(bits) <= int(port/8) {
			bits = append(bits, 0)
		}
		bits[port/8] |= 0x80 >> (port % 8)
	}
	return append(append(a.AsSlice(), byte(protocol)), bits...), nil
}

// nxt is a name, and a bit for each type below 128 (RFC 2535 section 5.2).
func nxt(d oddData) ([]byte, error) {
	octets, err := d.name(0)
	if err != nil {
		return nil, err
	}
	var bits []byte
	for _, t := range d.words[1:] {
		code, ok := typeCode(t.text)
		if !ok || code > 127 {
			return nil, errData
		}
		for len(bits) <= int(code/8) {
			bits = append(bits, 0)
		}
		bits[code/8] |= 0x80 >> (code % 8)
	}
	return append(octets, bits...), nil
}

// location is degrees with or without minutes and seconds, twice, an altitude, and up to three
// sizes, "m" or not behind each (RFC 1876 section 3).
func location(d oddData) ([]byte, error) {
	latitude, rest, ok := angle(d.words, "NS", 90)
	if !ok {
		return nil, errData
	}
	longitude, rest, ok := angle(rest, "EW", 180)
	if !ok || len(rest) == 0 || len(rest) > 4 {
		return nil, errData
	}
	altitude, ok := centimetres(rest[0].text)
	if !ok || altitude < -10_000_000 || altitude+10_000_000 > math.MaxUint32 {
		return nil, errData
	}
	octets := []byte{0, 0x12, 0x16, 0x13} // 1 m, 10000 m, 10 m
	for i, t := range rest[1:] {
		size, ok := centimetres(t.text)
		if !ok || size < 0 || size > 9_000_000_000 {
			return nil, errData
		}
		power := 0
		for ; size > 9; size /= 10 {
			power++
		}
		octets[i+1] = byte(size<<4 | int64(power))
	}
	octets = binary.BigEndian.AppendUint32(octets, uint32(1<<31+latitude))
	octets = binary.BigEndian.AppendUint32(octets, uint32(1<<31+longitude))
	return binary.BigEndian.AppendUint32(octets, uint32(altitude+10_000_000)), nil
}

// angle reads degrees, minutes and seconds until a direction, in thousandths of a second.
func angle(words []zoneToken, directions string, most int64) (int64, []zoneToken, bool) {
	total := int64(0)
	for i, t := range words {
		if at := strings.Index(directions, strings.ToUpper(t.text)); len(t.text) == 1 && at >= 0 {
			if at == 1 {
				total = -total
			}
			return total, words[i+1:], i > 0 && total >= -most*3_600_000 && total <= most*3_600_000
		}
		if i > 2 {
			break
		}
		whole, part, some := strings.Cut(t.text, ".")
		n, err := strconv.ParseUint(whole, 10, 16)
		if err != nil || i > 0 && n > 59 || some && (i < 2 || len(part) > 3) {
			break
		}
		total += int64(n) * []int64{3_600_000, 60_000, 1000}[i]
		if part != "" {
			n, err := strconv.ParseUint((part + "00")[:3], 10, 16)
			if err != nil {
				break
			}
			total += int64(n)
		}
	}
	return 0, nil, false
}

func centimetres(text string) (int64, bool) {
	text = strings.TrimSuffix(strings.TrimSuffix(text, "m"), "M")
	digits, below := strings.CutPrefix(text, "-")
	whole, part, _ := strings.Cut(digits, ".")
	n, err := strconv.ParseUint(whole, 10, 32)
	if err != nil || len(part) > 2 || strings.Trim(part, "0123456789") != "" {
		return 0, false
	}
	hundredths, _ := strconv.ParseUint((part + "00")[:2], 10, 8)
	total := int64(n*100 + hundredths)
	if below {
		total = -total
	}
	return total, true
}

// plainly rewrites data as the DNS library reads it.
var plainly = map[uint16]func([]zoneToken) []zoneToken{
	dns.TypeCERT:    byNumber(certificates, 0, algorithms, 2),
	dns.TypeDNSKEY:  key,
	dns.TypeCDNSKEY: key,
	dns.TypeKEY:     key,
	dns.TypeRKEY:    key,
	dns.TypeDS:      byNumber(algorithms, 1, digests, 2),
	dns.TypeCDS:     byNumber(algorithms, 1, digests, 2),
	dns.TypeDLV:     byNumber(algorithms, 1, digests, 2),
	dns.TypeTA:      byNumber(algorithms, 1, digests, 2),
	dns.TypeRRSIG:   byNumber(algorithms, 1, nil, 0),
	dns.TypeSIG:     byNumber(algorithms, 1, nil, 0),
	dns.TypeNAPTR:   quotedAt(2, 3, 4),
	dns.TypeHINFO:   quotedAt(0, 1),
	dns.TypeNID:     groups,
	dns.TypeL64:     groups,
	dns.TypeAPL:     prefixes,
	dns.TypeHTTPS:   params,
	dns.TypeSVCB:    params,
}

// The mnemonics of RFC 4034 appendix A.1, RFC 4398 section 2.1 and RFC 2535 section 3.1.2.
var (
	algorithms = map[string]int{"RSAMD5": 1, "DH": 2, "DSA": 3, "ECC": 4, "RSASHA1": 5, "NSEC3DSA": 6,
		"NSEC3RSASHA1": 7, "RSASHA256": 8, "RSASHA512": 10, "ECCGOST": 12, "ECDSAP256SHA256": 13,
		"ECDSA256": 13, "ECDSAP384SHA384": 14, "ECDSA384": 14, "ED25519": 15, "ED448": 16,
		"INDIRECT": 252, "PRIVATEDNS": 253, "PRIVATEOID": 254}
	certificates = map[string]int{"PKIX": 1, "SPKI": 2, "PGP": 3, "IPKIX": 4, "ISPKI": 5, "IPGP": 6,
		"ACPKIX": 7, "IACPKIX": 8, "URI": 253, "OID": 254}
	digests = map[string]int{"SHA-1": 1, "SHA1": 1, "SHA-256": 2, "SHA256": 2, "GOST": 3, "SHA-384": 4,
		"SHA384": 4}
	protocols = map[string]int{"NONE": 0, "TLS": 1, "EMAIL": 2, "DNSSEC": 3, "IPSEC": 4, "ALL": 255}
	keyFlags  = map[string]int{"NOCONF": 0x4000, "NOAUTH": 0x8000, "NOKEY": 0xc000, "FLAG2": 0x2000,
		"EXTEND": 0x1000, "FLAG4": 0x0800, "FLAG5": 0x0400, "USER": 0, "ZONE": 0x0100, "HOST": 0x0200,
		"NTYP3": 0x0300, "FLAG8": 0x0080, "FLAG9": 0x0040, "FLAG10": 0x0020, "FLAG11": 0x0010,
		"SIG0": 0, "SIG1": 1, "SIG2": 2, "SIG3": 3, "SIG4": 4, "SIG5": 5, "SIG6": 6, "SIG7": 7,
		"SIG8": 8, "SIG9": 9, "SIG10": 10, "SIG11": 11, "SIG12": 12, "SIG13": 13, "SIG14": 14,
		"SIG15": 15, "KSK": 1, "REVOKE": 0x80}
)

func asNumber(data []zoneToken, i int, names map[string]int) {
	if i < len(data) {
		if n, ok := names[strings.ToUpper(data[i].text)]; ok {
			data[i].text = strconv.Itoa(n)
		}
	}
}

func byNumber(one map[string]int, at int, other map[string]int, otherAt int) func(
	[]zoneToken) []zoneToken {
	return func(data []zoneToken) []zoneToken {
		asNumber(data, at, one)
		asNumber(data, otherAt, other)
		return data
	}
}

// key reads flags, protocol and algorithm by name; a key may be missing (RFC 2535 section 3.1.2).
func key(data []zoneToken) []zoneToken {
	asNumber(data, 1, protocols)
	asNumber(data, 2, algorithms)
	if len(data) == 0 {
		return data
	}
	flags := 0
	for name := range strings.SplitSeq(data[0].text, "|") {
		n, ok := keyFlags[strings.ToUpper(name)]
		if !ok {
			number, err := strconv.ParseUint(name, 0, 16)
			if err != nil {
				return data
			}
			n = int(number)
		}
		flags |= n
	}
	data[0].text = strconv.Itoa(flags)
	return data
}

// quotedAt puts quotes around words that stand without.
func quotedAt(places ...int) func([]zoneToken) []zoneToken {
	return func(data []zoneToken) []zoneToken {
		for _, i := range places {
			if i < len(data) {
				data[i].quoted = true
			}
		}
		return data
	}
}

// groups writes all digits of the groups of an identifier.
func groups(data []zoneToken) []zoneToken {
	if len(data) != 2 {
		return data
	}
	parts := strings.Split(data[1].text, ":")
	for i, p := range parts {
		if len(p) < 4 {
			parts[i] = strings.Repeat("0", 4-len(p)) + p
		}
	}
	data[1].text = strings.Join(parts, ":")
	return data
}

// prefixes writes all octets of the IPv4 addresses of an APL record.
func prefixes(data []zoneToken) []zoneToken {
	for i, t := range data {
		family, rest, _ := strings.Cut(t.text, ":")
		address, length, _ := strings.Cut(rest, "/")
		if missing := 3 - strings.Count(address, "."); strings.TrimPrefix(family, "!") == "1" &&
			missing > 0 && address != "" {
			data[i].text = family + ":" + address + strings.Repeat(".0", missing) + "/" + length
		}
	}
	return data
}

// params writes the parameters of HTTPS and SVCB records that stand there by number, such as key4,
// by name: their value is then what the name's form says, not octets (RFC 9460 section 2.1).
func params(data []zoneToken) []zoneToken {
	var all []zoneToken
	for i := 0; i < len(data); i++ {
		t := data[i]
		name, value, has := strings.Cut(t.text, "=")
		number, is := strings.CutPrefix(strings.ToLower(name), "key")
		n, err := strconv.Atoi(number)
		if i < 2 || t.quoted || !is || err != nil || n < 0 || n >= len(paramNames) {
			all = append(all, t)
			continue
		}
		if has && value == "" && i+1 < len(data) && data[i+1].glued {
			i++
			value = data[i].text
		}
		said, ok := paramValue(paramNames[n], zoneToken{text: value}.plain())
		if !ok {
			all = append(all, t)
			continue
		}
		t.text = paramNames[n]
		all = append(all, t)
		if said != "" {
			all[len(all)-1].text += "="
			all = append(all, zoneToken{text: said, quoted: true, glued: true, line: t.line,
				column: t.column})
		}
	}
	return all
}

// paramValue gives the octets of a parameter as the form of its name says them.
func paramValue(name, octets string) (string, bool) {
	b := []byte(octets)
	var parts []string
	cut := func(size int, say func([]byte) string) (string, bool) {
		for rest := b; len(rest) > 0; rest = rest[size:] {
			if len(rest) < size {
				return "", false
			}
			parts = append(parts, say(rest[:size]))
		}
		return strings.Join(parts, ","), len(parts) > 0
	}
	address := func(b []byte) string {
		a, _ := netip.AddrFromSlice(b)
		return a.String()
	}
	switch name {
	case "mandatory":
		return cut(2, func(b []byte) string {
			if n := binary.BigEndian.Uint16(b); int(n) < len(paramNames) {
				return paramNames[n]
			}
			return "key" + strconv.Itoa(int(binary.BigEndian.Uint16(b)))
		})
	case "alpn":
		for rest := b; len(rest) > 0; rest = rest[1+int(rest[0]):] {
			if len(rest) < 1+int(rest[0]) {
				return "", false
			}
			parts = append(parts, escapedText(strings.NewReplacer(`\`, `\\`, ",", `\,`).Replace(
				string(rest[1:1+int(rest[0])]))))
		}
		return strings.Join(parts, ","), len(parts) > 0
	case "port":
		said, ok := cut(2, func(b []byte) string {
			return strconv.Itoa(int(binary.BigEndian.Uint16(b)))
		})
		return said, ok && len(b) == 2
	case "ipv4hint":
		return cut(4, address)
	case "ipv6hint":
		return cut(16, address)
	case "ech":
		return base64.StdEncoding.EncodeToString(b), true
	case "dohpath":
		return escapedText(octets), true
	}
	return "", octets == ""
}

// escapedText writes octets as they stand between quotes.
func escapedText(s string) string {
	var b strings.Builder
	for i := range len(s) {
		switch c := s[i]; {
		case c == '"' || c == '\\':
			b.WriteString(`\` + string(c))
		case c < ' ' || c > '~':
			b.WriteString(`\` + strconv.Itoa(1000 + int(c))[1:])
		default:
			b.WriteByte(c)
		}
	}
	return b.String()
}
