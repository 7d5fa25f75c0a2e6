package load

import (
	"encoding/binary"
	"math/bits"
)

// integer is the load of whole numbers and branches: it makes up a text, packs it, unpacks it, sorts the hashes of its
// parts, and compares the digest of all that with the known one.
type integer struct {
	text, packed, plain []byte
	head                []int32 // last place of each hash, for packing
	keys                []uint64
	seed                int
}

const (
	textBytes = 16 << 10
	hashBits  = 12
)

// integerDigests are the digests of the texts 0, 1, 2 …
var integerDigests = [4]uint64{0xf30c3b64fe70d54b, 0x510329d556b97eec, 0xa236dfd7394027e2, 0x0f2680b19dabe578}

func newInteger() *integer {
	return &integer{
		text: make([]byte, 0, textBytes), packed: make([]byte, 0, 2*textBytes), plain: make([]byte, 0, textBytes),
		head: make([]int32, 1<<hashBits), keys: make([]uint64, 0, textBytes/8),
	}
}

func (w *integer) round(d *disturbance) (work float64, right bool) {
	digest := w.digest(w.seed, d)
	right = digest == integerDigests[w.seed]
	w.seed = (w.seed + 1) % len(integerDigests)
	return integerWork, right
}

// integerWork is the usual count of operations of a round: about so many instructions a byte for packing and unpacking
// and a key for sorting.
const integerWork = textBytes*20 + textBytes/8*200

func (w *integer) digest(seed int, d *disturbance) uint64 {
	w.write(seed)
	if d != nil {
		w.text[d.pick(len(w.text))] ^= 1 << d.pick(8)
	}
	w.pack()
	w.unpack()
	w.keys = w.keys[:0]
	h := uint64(len(w.packed))
	for at := 0; at+8 <= len(w.plain); at += 8 {
		h = mix(h ^ binary.LittleEndian.Uint64(w.plain[at:]))
		w.keys = append(w.keys, h)
	}
	sortKeys(w.keys)
	for i, k := range w.keys {
		h = mix(h ^ k ^ uint64(i))
	}
	for at := 0; at+8 <= len(w.packed); at += 8 {
		h = mix(h ^ binary.LittleEndian.Uint64(w.packed[at:]))
	}
	return h
}

// mix is a bijection that spreads every bit over the word (the finalizer of splitmix64; Steele, Lea and Flood, 2014).
func mix(x uint64) uint64 {
	x = (x ^ x>>30) * 0xbf58476d1ce4e5b9
	x = (x ^ x>>27) * 0x94d049bb133111eb
	return x ^ x>>31
}

// write makes up a text of words of uneven frequency, so that it can be packed.
func (w *integer) write(seed int) {
	w.text = w.text[:0]
	for state := uint64(seed) + 1; len(w.text) < textBytes; {
		state = mix(state + 0x9e3779b97f4a7c15)
		word := state >> 56 & (state >> 48 & 0xff) // small numbers are the frequent words
		letters := mix(word)
		for range 2 + word%7 {
			if len(w.text) == textBytes {
				return
			}
			w.text = append(w.text, byte('a'+letters%26))
			letters = bits.RotateLeft64(letters, 11)
		}
		if len(w.text) < textBytes {
			w.text = append(w.text, ' ')
		}
	}
}

// shortest and longest lengths of a repeated part. A packed text is a list of bytes as they are, each after a zero, and of
// repetitions: length, distance.
const (
	shortest = 4
	longest  = 255
)

func (w *integer) pack() {
	w.packed = w.packed[:0]
	clear(w.head)
	text := w.text
	for at := 0; at < len(text); {
		length, distance := 0, 0
		if at+shortest <= len(text) {
			slot := &w.head[binary.LittleEndian.Uint32(text[at:])*2654435761>>(32-hashBits)]
			from := int(*slot) - 1
			*slot = int32(at) + 1
			if from >= 0 && at-from < 1<<16 {
				for length < longest && at+length < len(text) && text[from+length] == text[at+length] {
					length++
				}
				distance = at - from
			}
		}
		if length < shortest {
			w.packed = append(w.packed, 0, text[at])
			at++
			continue
		}
		w.packed = append(w.packed, byte(length), byte(distance), byte(distance>>8))
		at += length
	}
}

// unpack is made for damaged input too: a machine that computes wrongly must be found, not crash the program.
func (w *integer) unpack() {
	w.plain = w.plain[:0]
	for p := w.packed; len(p) >= 2; {
		if p[0] == 0 {
			w.plain = append(w.plain, p[1])
			p = p[2:]
			continue
		}
		if len(p) < 3 {
			return
		}
		from := len(w.plain) - int(p[1]) - int(p[2])<<8
		for i := range int(p[0]) {
			if from < 0 || from+i >= len(w.plain) {
				return
			}
			w.plain = append(w.plain, w.plain[from+i])
		}
		p = p[3:]
	}
}

// sortKeys sorts by quicksort with the middle of three, small parts by insertion: the branches cannot be foreseen, which
// is what they are here for.
func sortKeys(a []uint64) {
	for len(a) > 12 {
		m := len(a) / 2
		if a[m] < a[0] {
			a[m], a[0] = a[0], a[m]
		}
		if a[len(a)-1] < a[0] {
			a[len(a)-1], a[0] = a[0], a[len(a)-1]
		}
		if a[len(a)-1] < a[m] {
			a[len(a)-1], a[m] = a[m], a[len(a)-1]
		}
		pivot := a[m]
		i, j := 0, len(a)-1
		for i <= j {
			for i < len(a)-1 && a[i] < pivot {
				i++
			}
			for j > 0 && a[j] > pivot {
				j--
			}
			if i <= j {
				a[i], a[j] = a[j], a[i]
				i++
				j--
			}
		}
		sortKeys(a[:j+1])
		a = a[i:]
	}
	for i := 1; i < len(a); i++ {
		for j := i; j > 0 && a[j] < a[j-1]; j-- {
			a[j], a[j-1] = a[j-1], a[j]
		}
	}
}
