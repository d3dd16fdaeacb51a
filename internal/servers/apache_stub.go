package servers

var apacheWriter = Writer{Name: "apache"}
