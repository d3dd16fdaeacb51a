package survey

// Led gives where addresses were seen to lead by redirects, as far as they arrived at a page: by
// the key of the address.
func (s *Survey) Led() map[string]string {
	led := map[string]string{}
	if s == nil {
		return led
	}
	for i := range s.Domains {
		for _, c := range s.Domains[i].Chains {
			if n := len(c.Hops); n > 1 && c.Hops[n-1].Status == 200 && c.Hops[n-1].Refusal == "" {
				led[c.Entry.Key()] = c.Hops[n-1].URL.String()
			}
		}
	}
	return led
}
