package words

import "upperpath.example/upperpath/internal/core/fact"

// kept are the sentences about files that were kept.
var kept = []sentence{
	phrase[fact.AuditSchema]("this is not an audit of this program: its schema is $Schema:q, not " +
		"$Wanted:q"),
	phrase[fact.ChainEmpty]("it has no answer"),
	phrase[fact.ChainNameless]("it names no entry or no arrival"),
	phrase[fact.AnswerNameless]("an answer names no URL"),
	phrase[fact.ChainEnd]("it ends in $End:q, which is not a known end"),
	phrase[fact.ChainPlaces]("it goes back to, or stops at, an answer that is not there"),
	phrase[fact.FindingPlace]("the finding $Code is about an answer that is not there"),
	phrase[fact.SurveySchema]("this is not a survey of this program: its schema is $Schema:q, not " +
		"$Wanted:q"),
	phrase[fact.SurveyNoName]("it has no name"),
	phrase[fact.SurveyVoices]("nobody answers about $Name $Type"),
	phrase[fact.SurveyRecords](
		"a set of records has no name, no type, no value or no TTL of 32 bits: $Name:q $Type:q",
	),
	by(func(f fact.NoSuchStep) (says, do string) {
		if f.Steps == 0 {
			return "there is no such step", ""
		}
		return "there is no step $Step; the runbook has steps 1 to $Steps", ""
	}),
	phrase[fact.StepNotDone]("it is not done"),
	phrase[fact.RunbookSchema]("this is not a runbook of this program: its schema is $Schema:q, " +
		"not $Wanted:q"),
	phrase[fact.RunbookLong]("it has $Steps:step, and no plan has more than $Most"),
	phrase[fact.StepNumber]("its steps are not numbered in order: $Number stands at place $Place"),
	phrase[fact.StepOrder]("step $Step comes after step $After, which is not before it"),
	phrase[fact.StepAsks]("step $Step looks at $Kind:q, which cannot be looked at"),
	phrase[fact.StepNowhere]("step $Step looks at a door that leads nowhere"),
	phrase[fact.StateSchema]("this is not a state of this program: its schema is $Schema:q, not " +
		"$Wanted:q"),
}
