package main

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"io/fs"
	"os"
	"time"
)

// entry is a file of an archive.
type entry struct {
	name string
	data []byte
	mode fs.FileMode
}

// tarred writes a .tar.gz whose bytes depend on nothing but what is in it and the day.
func tarred(path string, files []entry, day time.Time) error {
	var buf bytes.Buffer
	z, err := gzip.NewWriterLevel(&buf, gzip.BestCompression)
	if err != nil {
		return err
	}
	t := tar.NewWriter(z)
	for _, f := range files {
		h := &tar.Header{Name: f.name, Mode: int64(f.mode), Size: int64(len(f.data)), ModTime: day,
			Format: tar.FormatUSTAR, Typeflag: tar.TypeReg}
		if err := t.WriteHeader(h); err != nil {
			return err
		}
		if _, err := t.Write(f.data); err != nil {
			return err
		}
	}
	if err := t.Close(); err != nil {
		return err
	}
	if err := z.Close(); err != nil {
		return err
	}
	return os.WriteFile(path, buf.Bytes(), 0o644)
}

// zipped does the same for a .zip.
func zipped(path string, files []entry, day time.Time) error {
	var buf bytes.Buffer
	z := zip.NewWriter(&buf)
	for _, f := range files {
		h := &zip.FileHeader{Name: f.name, Method: zip.Deflate, Modified: day}
		h.SetMode(f.mode)
		w, err := z.CreateHeader(h)
		if err != nil {
			return err
		}
		if _, err := w.Write(f.data); err != nil {
			return err
		}
	}
	if err := z.Close(); err != nil {
		return err
	}
	return os.WriteFile(path, buf.Bytes(), 0o644)
}
