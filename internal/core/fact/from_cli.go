package fact

// What is found, with its facts.
type (
	FileNotDemos       struct{}
	ZoneOfOthers       struct{}
	ZoneNameless       struct{}
	ImportUnread       struct{}
	EstateThere        struct{}
	SurveyZoneOfOthers struct{}
)
