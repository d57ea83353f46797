package access

import (
	"sync"
	"testing"
	"time"
)

// TestTries lets a few wrong passphrases pass in a while, and forgets them.
func TestTries(t *testing.T) {
	var tr tries
	now := time.Date(2026, 11, 28, 9, 30, 0, 0, time.UTC)
	left := make(chan bool, 20*maxTries)
	var all sync.WaitGroup
	for i := range 20 * maxTries { // all at once
		all.Go(func() { left <- tr.take("10.0.0.7", now.Add(time.Duration(i)*time.Millisecond)) })
	}
	all.Wait()
	close(left)
	taken := 0
	for ok := range left {
		if ok {
			taken++
		}
	}
	if taken != maxTries {
		t.Errorf("%d tries were taken", taken)
	}
	if !tr.take("10.0.0.8", now.Add(time.Minute)) {
		t.Error("another address is kept out too")
	}
	if tr.right("10.0.0.8"); len(tr.all) != 1 {
		t.Error("who knows it is still counted")
	}
	if !tr.take("10.0.0.7", now.Add(triesIn+time.Minute)) {
		t.Error("they are never forgotten")
	}
}
