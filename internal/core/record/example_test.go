package record_test

import (
	"fmt"

	"upperpath.example/upperpath/internal/core/record"
)

// Values are read as somebody shows them, and held as a zone file has them.
func ExampleValue() {
	value, err := record.Value("MX", "10  MX1.Mail.example")
	fmt.Println(value, err)
	_, err = record.Value("A", "example")
	fmt.Println(err)
	fmt.Println(record.Names("SRV", value+" 443 www.n.example."), record.Refers("MX"),
		record.LeadsToAddress("MX"))
	// Output:
	// 10 mx1.mail.example. <nil>
	// example is not an address of this kind
	// [www.n.example] true false
}
