package main

import "github.com/chromedp/cdproto/runtime"

// awaitPromise makes an evaluation end when its promise does.
func awaitPromise(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) }
