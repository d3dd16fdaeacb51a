package files

import (
	"encoding/base64"
	"errors"
	"fmt"
	"regexp"
	"strings"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
)

// TransferKey is a key for zone transfers (TSIG, RFC 8945).
type TransferKey struct{ Name, Algorithm, Secret string }

// ReadTransferKey reads a key from a YAML file: name, algorithm (hmac-sha256 where none is named)
// and secret in base64. The error is a problem.List; it never shows the secret.
func ReadTransferKey(path string) (TransferKey, error) {
	root, err := ReadTree(path)
	if err != nil {
		var faults problem.List
		if errors.As(err, &faults) {
			for i, f := range faults { // what stands there may be the secret, or a part of it
				if f.Line > 0 {
					faults[i].Value, faults[i].Mark = "", ""
					switch f.Fault.(type) {
					case fact.YAMLTooDeep, fact.YAMLKeys, fact.YAMLLine, fact.YAMLDocuments:
					default:
						faults[i].Fault = fact.NotYAML{}
					}
				}
			}
		}
		return TransferKey{}, err
	}
	key := TransferKey{Algorithm: "hmac-sha256"}
	var faults problem.List
	for _, e := range root.Entries {
		if e.Value.Kind != estate.Scalar {
			continue
		}
		switch e.Key.Text {
		case "name":
			key.Name = e.Value.Text
		case "algorithm":
			key.Algorithm = e.Value.Text
		case "secret":
			key.Secret = e.Value.Text
		default:
			faults.Add(
				problem.Problem{Line: e.Key.Line, Column: e.Key.Column, Fault: fact.DNSKeyUnknown{}},
			)
		}
	}
	if _, err := base64.StdEncoding.DecodeString(key.Secret); err != nil || key.Secret == "" {
		faults.Add(
			problem.Problem{Line: 1, Fault: fact.DNSKeySecret{}},
		)
	}
	if key.Name == "" {
		faults.Add(problem.Problem{Line: 1, Fault: fact.DNSKeyName{}})
	}
	return key, faults.In(path).Err()
}

// bindKey is a key as name servers' tools write it: key "name" { algorithm a; secret "s"; };
var bindKey = regexp.MustCompile(`(?s)^\s*key\s+"?([^"\s{]+)"?\s*\{(.*)\}\s*;?\s*$`)

// bindField is one statement in it.
var bindField = regexp.MustCompile(`(algorithm|secret)\s+"?([^";\s]+)"?\s*;`)

// ReadUpdateKey reads the key that signs updates: from a file in any form that ReadTransferKey
// takes, or as a name server's own tools write it, or, where it is env:NAME, from the environment,
// as ALGORITHM:NAME:SECRET. The path is relative to base, a file. The error never shows the secret.
func ReadUpdateKey(base, spec string, environment func(string) string) (TransferKey, error) {
	if name, is := strings.CutPrefix(spec, "env:"); is {
		parts := strings.Split(environment(name), ":")
		if len(parts) != 3 || parts[1] == "" {
			return TransferKey{}, fmt.Errorf("$%s holds no key: expected ALGORITHM:NAME:SECRET, such as "+
				"hmac-sha256:update.example:..., in the environment", name)
		}
		key := TransferKey{Algorithm: parts[0], Name: parts[1], Secret: parts[2]}
		if _, err := base64.StdEncoding.DecodeString(key.Secret); err != nil || key.Secret == "" {
			return TransferKey{}, fmt.Errorf("$%s holds no key: its secret is not in base64", name)
		}
		return key, nil
	}
	path := Beside(base, spec)
	text, err := Read(path, mostKey)
	if err != nil {
		return TransferKey{}, err
	}
	plain := comments.ReplaceAllString(string(text), "")
	at := bindKey.FindStringSubmatch(plain)
	if at == nil {
		return ReadTransferKey(path)
	}
	key := TransferKey{Name: at[1]}
	for _, f := range bindField.FindAllStringSubmatch(at[2], -1) {
		if f[1] == "algorithm" {
			key.Algorithm = f[2]
		} else {
			key.Secret = f[2]
		}
	}
	var faults problem.List
	if _, err := base64.StdEncoding.DecodeString(key.Secret); err != nil || key.Secret == "" {
		faults.Add(problem.Problem{Line: 1, Fault: fact.DNSKeySecret{}})
	}
	return key, faults.In(path).Err()
}

// comments are those of a name server's configuration.
var comments = regexp.MustCompile(`(?m)(?:^|\s)(?:#|//).*$`)

// mostKey is how many octets a file with a key may have.
const mostKey = 64 << 10
