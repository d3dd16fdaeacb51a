package fact

// What is wrong with a file.
type (
	LineTooLong   struct{ Octets, Most int }
	LineTooMany   struct{ Fields, Most int }
	ColumnMissing struct {
		Column, Near string
		Needed       []string
		Known        []string
	}
	NotCSVBecause  struct{ Why string }
	ColumnNotThere struct{ Column string }
	FileEdited     struct{}
	NotYAMLAt      struct{ Why string }
	FileTooLarge   struct {
		Why  string
		Most int64
	}
	FileNotReadable struct{ Why string }
	FileMissing     struct{}
	GatherFirst     struct{}
	ZoneLine        struct{ Why string }
	ZoneOwner       struct{ Why string }
	ZoneInclude     struct{ Why string }
	NotSceneBecause struct{ Why string }
	RuleColumns     struct {
		Why     string
		Columns []string // that are needed; nil: those of a rule
	}
	YAMLLine struct{ Octets, Most int }
	YAMLKeys struct{ Most int }
)

// A rule that a server cannot hold.
type ServerCannot struct {
	Server, Place, Old string
	Why                Facts
	Line               int `words:"-"`
}
