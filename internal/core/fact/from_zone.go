package fact

import "time"

// What is found, with its facts.
type (
	SPFTermFollows struct {
		Term   string
		Untied []string `words:"-"`
		Domain string
		Value  string
	}
	AliasDisplaces struct {
		Type   string
		Values []string `words:"-"`
		Name   string
		Shown  []string
		What   Facts
	}
	WantedPolicyTwice struct {
		Wanted string
		There  string
		Name   string
	}
	MailNoneButMail struct {
		Evidence []string
		Zone     string
	}
	MailUndecided struct {
		Zone string
	}
	ZoneNotWhole struct {
		Partial bool `words:"-"`
		Missed  int  `words:"-"`
		To      []string
		Zone    string
		Why     Facts
	}
	ProviderDoesMore struct {
		Zone string
		From []string
		What Facts
	}
	FormLosesServers struct {
		Carrier string
		Host    string
		To      []string
	}
	FormElsewhere struct {
		Carrier     string
		Hosts       []string
		Zone        []string
		NameServers []string
	}
	DSLeftBehind struct {
		DS       []string `words:"-"`
		To       []string
		Zone     string
		OldLives int
	}
	RecordGone struct {
		Before []string
		Name   string
		Type   string
		Date   time.Time
	}
	RecordCame struct {
		After []string
		Name  string
		Type  string
		Date  time.Time
	}
	RecordChanged struct {
		Before []string
		After  []string
		Name   string
		Type   string
		Date   time.Time
	}
	NeededGone struct {
		By   string
		Host string
	}
	NeededElsewhere struct {
		By     string
		Wanted string
		There  []string
		Host   string
	}
	NeededAsItIs struct {
		By     string
		Type   string
		Wanted string `words:"-"`
		Name   string
		Values []string
	}
	ChangeBelowDelegation struct {
		Delegated string
		Type      string   `words:"-"`
		Wanted    []string `words:"-"`
		Name      string
		Zone      string
	}
	AliasCrowded struct {
		Alias  []string `words:"-"`
		Others []string `words:"-"`
		Name   string
		Other  []string
	}
)
