package fact

// Why records are not sent, or what came of that.
type (
	SendEntry   struct{}
	SendNoPlace struct {
		Place string
	}
	SendUnseen struct {
		Zone string
	}
	SendAlias struct {
		Name string
	}
	SendThrough struct {
		Name, Network string
	}
	SendUnread struct {
		Zone, To, Why string
	}
	SendChanged struct {
		Zone string
		Sets int
	}
	SendRefused struct {
		Zone, To, Answer string
	}
	SendHalfway struct {
		Zone, To string
		Sets     int
	}
	SentOutcome struct {
		Outcome string
	}
	SentNowhere struct{}
	SendUnknown struct {
		Zone, To, Why string
	}
)
