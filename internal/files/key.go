package files

import (
	"encoding/base64"
	"errors"

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
