package load

// stream measures what memory carries: it goes through three arrays, a = b + 3·c, far beyond the caches, and lets them
// change places after each time. The sum of each block is known without being computed from the block, since sums follow
// the same rule, so every word is checked when it is read.
type stream struct {
	chunk
	part [3][]uint64
	sums [3][]uint64 // per array and block, what its words add up to
	at   int
}

// newStream takes memory for three arrays.
func newStream(bytes int) (*stream, error) {
	c, err := newChunk(max(bytes, 3*8*blockWords))
	if err != nil {
		return nil, err
	}
	s := &stream{chunk: c}
	n := len(c.words) / 3 / blockWords * blockWords
	for i := range s.part {
		s.part[i], s.sums[i] = c.words[i*n:(i+1)*n], make([]uint64, n/blockWords)
		for k := range s.part[i] {
			s.part[i][k] = mix(uint64(i*n + k))
			s.sums[i][k/blockWords] += s.part[i][k]
		}
	}
	return s, nil
}

// round does a block; its operations are the bytes that it read and wrote.
func (s *stream) round(d *disturbance) (work float64, right bool) {
	block := s.at / blockWords
	a, b, c := s.part[0][s.at:][:blockWords], s.part[1][s.at:][:blockWords], s.part[2][s.at:][:blockWords]
	if d != nil {
		b[d.pick(len(b))] ^= 1 << d.pick(64)
	}
	var sumB, sumC uint64
	for i := range a {
		x, y := b[i], c[i]
		a[i] = x + 3*y
		sumB += x
		sumC += y
	}
	right = sumB == s.sums[1][block] && sumC == s.sums[2][block]
	s.sums[0][block] = sumB + 3*sumC
	if s.at += blockWords; s.at == len(s.part[0]) {
		s.at = 0
		s.part[0], s.part[1], s.part[2] = s.part[1], s.part[2], s.part[0]
		s.sums[0], s.sums[1], s.sums[2] = s.sums[1], s.sums[2], s.sums[0]
	}
	return 3 * 8 * blockWords, right
}
