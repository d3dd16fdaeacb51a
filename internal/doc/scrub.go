package doc

import (
	"reflect"
	"strings"

	"upperpath.example/upperpath/internal/core/problem"
)

// Scrubbed gives a model in which no text holds what could begin a line, make a terminal do
// something or turn the order of what is read: every writer but that of JSON, which escapes, takes
// its model through here first, and need think of it no more. A model that holds nothing of the
// kind comes back as it is; of another a copy is made.
func Scrubbed[T any](model T) T {
	v := reflect.ValueOf(&model).Elem()
	if !(&scrubber{}).holds(v) {
		return model
	}
	return (&scrubber{}).copied(v).Interface().(T)
}

// place is where a pointer, slice or map leads, by which it is known again.
type place struct {
	at   uintptr
	len  int
	kind reflect.Type
}

// scrubber goes through a value, every place once. Fields that are not exported hold values of core
// that cannot hold anything invalid.
type scrubber struct {
	been map[place]reflect.Value
}

func (s *scrubber) seen(v reflect.Value) (place, bool) {
	p := place{at: v.Pointer(), kind: v.Type()}
	if v.Kind() == reflect.Slice {
		p.len = v.Len()
	}
	if s.been == nil {
		s.been = map[place]reflect.Value{}
	}
	_, been := s.been[p]
	return p, been
}

func IsHostile(s string) bool { return strings.IndexFunc(s, problem.Hostile) >= 0 }

// holds reports whether a value holds anything to scrub.
func (s *scrubber) holds(v reflect.Value) bool {
	switch v.Kind() {
	case reflect.String:
		return IsHostile(v.String())
	case reflect.Struct:
		for i := range v.NumField() {
			if v.Type().Field(i).IsExported() && s.holds(v.Field(i)) {
				return true
			}
		}
	case reflect.Interface:
		return !v.IsNil() && s.holds(v.Elem())
	case reflect.Pointer, reflect.Slice, reflect.Map:
		if v.IsNil() {
			return false
		}
		p, been := s.seen(v)
		if been {
			return false
		}
		s.been[p] = v
		return s.within(v)
	case reflect.Array:
		return s.within(v)
	}
	return false
}

func (s *scrubber) within(v reflect.Value) bool {
	switch v.Kind() {
	case reflect.Pointer:
		return s.holds(v.Elem())
	case reflect.Map:
		for at := v.MapRange(); at.Next(); {
			if s.holds(at.Key()) || s.holds(at.Value()) {
				return true
			}
		}
		return false
	}
	for i := range v.Len() {
		if s.holds(v.Index(i)) {
			return true
		}
	}
	return false
}

// copied gives a copy of a value, all its texts clean.
func (s *scrubber) copied(v reflect.Value) reflect.Value {
	out := reflect.New(v.Type()).Elem()
	out.Set(v)
	switch v.Kind() {
	case reflect.String:
		out.SetString(problem.Clean(v.String()))
	case reflect.Struct:
		for i := range v.NumField() {
			if v.Type().Field(i).IsExported() {
				out.Field(i).Set(s.copied(v.Field(i)))
			}
		}
	case reflect.Interface:
		if !v.IsNil() {
			out.Set(s.copied(v.Elem()))
		}
	case reflect.Array:
		for i := range v.Len() {
			out.Index(i).Set(s.copied(v.Index(i)))
		}
	case reflect.Pointer, reflect.Slice, reflect.Map:
		if v.IsNil() {
			break
		}
		p, been := s.seen(v)
		if been {
			return s.been[p]
		}
		s.copyTo(p, v, out)
	}
	return out
}

func (s *scrubber) copyTo(p place, v, out reflect.Value) {
	switch v.Kind() {
	case reflect.Pointer:
		out.Set(reflect.New(v.Type().Elem()))
		s.been[p] = out
		out.Elem().Set(s.copied(v.Elem()))
	case reflect.Map:
		out.Set(reflect.MakeMapWithSize(v.Type(), v.Len()))
		s.been[p] = out
		for at := v.MapRange(); at.Next(); {
			out.SetMapIndex(s.copied(at.Key()), s.copied(at.Value()))
		}
	case reflect.Slice:
		out.Set(reflect.MakeSlice(v.Type(), v.Len(), v.Len()))
		s.been[p] = out
		for i := range v.Len() {
			out.Index(i).Set(s.copied(v.Index(i)))
		}
	}
}
