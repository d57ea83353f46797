// Package assets ships the scripts, styles and fonts of all pages.
package assets

import (
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"mime"
	"path"
	"strings"
	"sync"

	"github.com/gofiber/fiber/v3"
)

// Dist holds what is built from the scripts and styles beside it.
//
//go:embed dist
var Dist embed.FS

var assetSums sync.Map // name → short hash of its contents

// URL names an asset by its contents, so that a browser may keep it.
func URL(name string) string {
	sum, ok := assetSums.Load(name)
	if !ok {
		b, err := Dist.ReadFile("dist/" + name)
		if err != nil {
			return "/assets/" + name
		}
		h := sha256.Sum256(b)
		sum = hex.EncodeToString(h[:6])
		assetSums.Store(name, sum)
	}
	return "/assets/" + name + "?v=" + sum.(string)
}

// Serve answers with an asset.
func Serve(c fiber.Ctx) error {
	name := path.Clean("/" + c.Params("*"))
	b, err := Dist.ReadFile("dist" + name)
	if err != nil {
		return fiber.NewError(fiber.StatusNotFound, "There is no such file.")
	}
	kind := mime.TypeByExtension(path.Ext(name))
	switch path.Ext(name) {
	case ".woff2":
		kind = "font/woff2"
	case ".js":
		kind = "text/javascript; charset=utf-8"
	}
	if strings.HasPrefix(kind, "text/") && !strings.Contains(kind, "charset") {
		kind += "; charset=utf-8"
	}
	c.Set("Content-Type", kind)
	if c.Query("v") != "" || path.Ext(name) == ".woff2" {
		c.Set("Cache-Control", "public, max-age=31536000, immutable")
	}
	return c.Send(b)
}
