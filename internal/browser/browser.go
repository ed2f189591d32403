// Package browser starts a headless Chromium that talks to nobody but the page, for the
// tests and the screenshots.
package browser

import (
	"context"
	"os"
	"os/exec"

	"github.com/chromedp/chromedp"
)

// program is Chromium without a window of its own where that is installed, which starts and opens tabs in a third of the
// time, else the whole of it.
func program() (string, error) {
	if path, err := exec.LookPath("chromium-headless-shell"); err == nil {
		return path, nil
	}
	return exec.LookPath("chromium")
}

// Start returns the context of a tab, to be given to chromedp.Do and chromedp.Run, and
// what ends the browser. The error says that there is no Chromium.
func Start(ctx context.Context) (context.Context, func(), error) {
	path, err := program()
	if err != nil {
		return nil, nil, err
	}
	dir, err := os.MkdirTemp("", "wharf-browser-")
	if err != nil {
		return nil, nil, err
	}
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(path), chromedp.UserDataDir(dir), chromedp.DisableGPU,
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-background-networking", true),
		chromedp.Flag("disable-component-update", true), chromedp.Flag("disable-sync", true), chromedp.Flag("disable-dev-shm-usage", true),
		chromedp.Flag("lang", "en-GB"))
	if os.Getuid() == 0 {
		options = append(options, chromedp.NoSandbox)
	}
	allocator, endAllocator := chromedp.NewExecAllocator(ctx, options...)
	tab, endTab := chromedp.NewContext(allocator)
	return tab, func() {
		endTab()
		endAllocator()
		_ = os.RemoveAll(dir) // of use to nobody
	}, nil
}
