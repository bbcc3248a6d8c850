package e2e

import (
	"testing"
	"time"

	"github.com/chromedp/chromedp"
)

// BenchmarkConsole measures pages of the console on the demo in a browser: from the
// address to an answer that can be used, and from a moved situation to the answer in it.
func BenchmarkConsole(b *testing.B) {
	demo := startDemo(b, "--data", b.TempDir())
	p := openBrowserFor(b, 1280, 900, 10*time.Minute)
	p.do(chromedp.Navigate(demo.address + "/#token=" + demo.token))
	p.sees("Broken guarantees 2")
	watch := func(text string) string {
		return `new Promise((done) => { const began = performance.now(); (function look() { document.body.innerText.includes(` + "`" + text + "`" + `) ? done(performance.now() - began) : requestAnimationFrame(look); })(); })`
	}
	for _, page := range []struct{ name, path, rest string }{
		{"person", "/people/cindervale/ilse.okonjo", "Copy for a ticket"},
		{"chart", "/", "Broken guarantees 2"},
		{"system", "/systems/core-net", "The rules as a sluice"},
	} {
		b.Run("page/"+page.name, func(b *testing.B) {
			for b.Loop() {
				p.do(chromedp.Navigate(demo.address + page.path))
				get(p, chromedp.Evaluate[float64](watch(page.rest), awaited))
			}
		})
	}
	b.Run("situation", func(b *testing.B) {
		p.do(chromedp.Navigate(demo.address + "/people/cindervale/ilse.okonjo"))
		p.sees("open 28")
		total := 0.0
		for b.Loop() {
			p.choose("Risk", "high")
			total += get(p, chromedp.Evaluate[float64](watch("shut 2"), awaited))
			p.choose("Risk", "any")
			p.sees("shut 1")
		}
		b.ReportMetric(total/float64(b.N), "ms/answer")
	})
}
