module upperpath.example/upperpath

go 1.26.8

require (
	github.com/goccy/go-yaml v1.19.2
	github.com/stretchr/testify v1.12.1
	golang.org/x/net v0.62.0
)

require (
	go.yaml.in/yaml/v3 v3.0.5 // indirect
	golang.org/x/text v0.44.0 // indirect
)
