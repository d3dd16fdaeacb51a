package store

// at gives whose results are meant in tests of one estate.
func at(folder string) Of { return Of{Folder: folder, Name: "upperpath.yaml"} }
