package script

import (
	"bytes"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/js"

	"upperpath.example/upperpath/internal/core/web"
)

// TestDeepAndLongScriptsEnd runs what is nested or repeated without end: each comes to one.
func TestDeepAndLongScriptsEnd(t *testing.T) {
	for _, part := range []string{"!", "(", "[", "{", "a?", "a=", "if(a)", "x=>", "`${", "new ", "a**",
		"function a(){", "a?b:", "{a:", "while(a)", "-", "class a{a(){", "do ", "a:", "async x=>",
		"[...", "a&&(", "typeof ", "if(a)b;else ", "var a=", "for(;;)", "try{", "a.b.", "a[", "f(",
		"x=x+x;", `x="a"+`, "var x=[1];x.push(x);", "setTimeout(", "f();function f(){f();f()}",
		"f=()=>setTimeout(f);f();", "document.write(1);", "location=location+'a';",
		"let a%d=1;", "switch(a){case 1:", "var{a:", "/*", "'", "\\u0061="} {
		for _, n := range []int{10, 1000, MostScript/len(part) - 20} {
			s := strings.Repeat(part, n) + ";location='/x'"
			r := New(Page{URL: web.MustParseURL(at)})
			r.Run([]byte(s), 1)
			r.Finish()
		}
	}
}

// FuzzRun has anything run: nothing panics, and all of it ends.
func FuzzRun(f *testing.F) {
	f.Add([]byte(`var to = "/x"; setTimeout(() => location.replace(to), 300)`))
	f.Add([]byte(`if (top === self) { for (const a of [1,2]) { location = a } }`))
	f.Fuzz(func(t *testing.T, b []byte) {
		r := New(Page{URL: web.MustParseURL(at)})
		r.Run(b, 1)
		r.RunModule(b, 2)
		r.Onload(b, 3)
		if o := r.Finish(); len(o.Moves) > 1 || len(o.Maybe) > mostFound {
			t.Fatal(o)
		}
	})
}

// bundle makes a script of some length as bundlers make them: modules with functions of their own,
// of which few run at once.
func bundle(octets int) []byte {
	r := rand.New(rand.NewPCG(33, 1)) // a bench
	var b bytes.Buffer
	b.WriteString(`(()=>{var e={`)
	for n := 0; b.Len() < octets; n++ {
		b.WriteString(strings.NewReplacer("N", index(n), "M", index(r.IntN(n+1))).Replace(
			`N:(e,t,n)=>{"use strict";n.d(t,{Z:()=>oN});const r=n(M);function aN(e,t){if(!e)return null;` +
				`for(var i=0,s=[];i<e.length;i++)s.push({key:i,title:e[i].name||"item "+i,href:"/p/"+i});` +
				`return t?s.filter(e=>e.key>M):s}class oN extends r.C{constructor(e){super(e),this.state={` +
				`open:!1,list:[]}}render(){return r.h("div",{className:"c-N",onClick:()=>{` +
				`window.location.href="/p/N"}},aN(this.state.list,!0).map(e=>r.h("a",{href:e.href},e.title)))}}},` + "\n"))
	}
	b.WriteString(`};var t={};function n(r){var i=t[r];if(void 0!==i)return i.exports;var o=` +
		`t[r]={exports:{}};return e[r](o,o.exports,n),o.exports}n.d=(e,t)=>{for(var r in t)Object.defineProperty(e,r,` +
		`{enumerable:!0,get:t[r]})};n(0)})();`)
	return b.Bytes()
}

// BenchmarkRun reads and runs a bundle of 1 MB, beside the parser alone: the walk should cost no
// more than half as much again.
func BenchmarkRun(b *testing.B) {
	src := bundle(MostScript - 2000)
	b.Run("parse", func(b *testing.B) {
		b.SetBytes(int64(len(src)))
		for b.Loop() {
			if _, err := js.Parse(parse.NewInputBytes(bytes.Clone(src)), js.Options{}); err != nil {
				b.Fatal(err)
			}
		}
	})
	b.Run("run", func(b *testing.B) {
		b.SetBytes(int64(len(src)))
		for b.Loop() {
			r := New(Page{URL: web.MustParseURL(at)})
			r.Run(src, 1)
			r.Finish()
		}
	})
}
