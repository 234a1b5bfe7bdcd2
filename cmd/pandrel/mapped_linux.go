//go:build linux

package main

import (
	"os"
	"syscall"
)

// mapped is a file as the system has it, without a copy of it in memory. passed lets go of all but its last bytes: what
// was read of a log is not needed again, and what the log holds takes the room. ok is false for what cannot be mapped.
// A file that somebody cuts short meanwhile ends the program, as it would end any reading of it.
func mapped(name string) (data []byte, passed func(left int), ok bool) {
	f, err := os.Open(name)
	if err != nil {
		return nil, nil, false
	}
	defer f.Close()
	st, err := f.Stat()
	if err != nil || !st.Mode().IsRegular() || st.Size() < 1<<20 || st.Size() > 1<<30 {
		return nil, nil, false
	}
	data, err = syscall.Mmap(int(f.Fd()), 0, int(st.Size()), syscall.PROT_READ, syscall.MAP_PRIVATE)
	if err != nil {
		return nil, nil, false
	}
	page := os.Getpagesize()
	gone := 0
	return data, func(left int) {
		if to := (len(data) - left) / page * page; to > gone && left <= len(data) {
			if syscall.Madvise(data[gone:to], syscall.MADV_DONTNEED) == nil {
				gone = to
			}
		}
	}, true
}
