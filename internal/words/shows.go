package words

// What is to be seen once a step is done, with the doors that show it.
const (
	ItsDoors         = "Its doors"
	ShowCertificates = "%s show a certificate for their names."
	DoRedirect       = "%s redirect where they should."
	DoArrive         = "%s arrive where they should, without a warning."
)
