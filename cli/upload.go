package cli

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"wharf/api/client"
)

// fileOf is the file that a person names instead of a link: a path, and after # the calendar in an archive
// that is meant. It is nil where that is a link.
func (env *Env) fileOf(arg string) (*client.FeedFile, error) {
	if strings.Contains(arg, "://") || strings.HasPrefix(arg, "webcal:") {
		return nil, nil
	}
	path, inside, found := strings.Cut(arg, "#")
	info, err := os.Stat(path)
	switch {
	case errors.Is(err, fs.ErrNotExist) && strings.Contains(arg, ":"):
		return nil, nil // a link of a kind that the service refuses
	case errors.Is(err, fs.ErrNotExist):
		return nil, usagef("%q is neither a link nor a file: a link begins with https:// or webcal://", arg)
	case err != nil:
		return nil, err
	case info.IsDir():
		return nil, usagef("%q is a directory: name one file", arg)
	case info.Size() > mostUpload:
		return nil, fmt.Errorf("%s is larger than %d MB, which no calendar of bookings is", path, mostUpload>>20)
	}
	in, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer in.Close()
	content, err := io.ReadAll(io.LimitReader(in, mostUpload))
	if err != nil {
		return nil, err
	}
	f := client.FeedFile{Name: filepath.Base(path), Content: content}
	if found {
		f.Inside = &inside
	}
	return &f, nil
}

// mostUpload is how large a file may be that is sent, in bytes; the service may allow less.
const mostUpload = 64 << 20
