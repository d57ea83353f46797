// Package cache keeps what was made last.
package cache

import (
	"container/list"
	"context"
	"fmt"
	"runtime/debug"
	"sync"
)

// Cache keeps what was made last, up to a weight: what was not asked for the longest
// goes first. Equal requests are joined: one of them makes the thing, all get it. Making
// one thing keeps nobody waiting who asks for another, and ends when the last one who
// asked for it has gone.
type Cache[K comparable, V any] struct {
	most   int64
	weight func(V) int64

	mu     sync.Mutex
	kept   map[K]*list.Element // of *sharedEntry
	order  *list.List          // the one used last in front
	sum    int64
	making map[K]*making[V]
}

type sharedEntry[K comparable, V any] struct {
	key    K
	value  V
	weight int64
}

// making is one thing under way.
type making[V any] struct {
	waiting int
	cancel  context.CancelFunc
	dropped bool // what comes of it is not kept: the thing has changed meanwhile
	done    chan struct{}
	value   V
	err     error
}

// New returns an empty cache for things that weigh most together.
func New[K comparable, V any](most int64, weight func(V) int64) *Cache[K, V] {
	return &Cache[K, V]{most: most, weight: weight, kept: map[K]*list.Element{}, order: list.New(),
		making: map[K]*making[V]{}}
}

// Get returns what is kept under a key, or has it made.
func (s *Cache[K, V]) Get(ctx context.Context, key K, f func(context.Context) (V, error)) (V,
	error) {
	s.mu.Lock()
	if e := s.kept[key]; e != nil {
		s.order.MoveToFront(e)
		v := e.Value.(*sharedEntry[K, V]).value
		s.mu.Unlock()
		return v, nil
	}
	m := s.making[key]
	if m == nil {
		in, cancel := context.WithCancel(context.WithoutCancel(ctx))
		m = &making[V]{cancel: cancel, done: make(chan struct{})}
		s.making[key] = m
		go s.make(in, key, m, f)
	}
	m.waiting++
	s.mu.Unlock()
	select {
	case <-m.done:
		return m.value, m.err
	case <-ctx.Done():
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if m.waiting--; m.waiting == 0 {
		m.cancel()
		if s.making[key] == m {
			delete(s.making, key)
		}
	}
	var none V
	return none, ctx.Err()
}

// make makes one thing, and keeps it.
func (s *Cache[K, V]) make(ctx context.Context, key K, m *making[V],
	f func(context.Context) (V, error)) {
	defer m.cancel()
	defer close(m.done)
	defer func() {
		if broke := recover(); broke != nil {
			m.err = fmt.Errorf("it broke down: %v\n%s", broke, debug.Stack())
		}
		s.mu.Lock()
		defer s.mu.Unlock()
		if s.making[key] == m {
			delete(s.making, key)
		}
		if m.err == nil && !m.dropped {
			s.keep(key, m.value)
		}
	}()
	m.value, m.err = f(ctx)
}

func (s *Cache[K, V]) keep(key K, v V) {
	s.remove(key)
	e := &sharedEntry[K, V]{key, v, s.weight(v)}
	s.kept[key] = s.order.PushFront(e)
	s.sum += e.weight
	for s.sum > s.most && s.order.Len() > 1 {
		s.remove(s.order.Back().Value.(*sharedEntry[K, V]).key)
	}
}

func (s *Cache[K, V]) remove(key K) {
	if e := s.kept[key]; e != nil {
		s.sum -= e.Value.(*sharedEntry[K, V]).weight
		s.order.Remove(e)
		delete(s.kept, key)
	}
}

// Drop forgets a thing, which has changed.
func (s *Cache[K, V]) Drop(key K) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.remove(key)
	if m := s.making[key]; m != nil {
		m.dropped = true
		delete(s.making, key)
	}
}

// Len is how many things are kept.
func (s *Cache[K, V]) Len() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return len(s.kept)
}
