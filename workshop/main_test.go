package workshop_test

import (
	"os"
	"testing"

	"zerokeel/store/storetest"
)

func TestMain(m *testing.M) { os.Exit(storetest.Main(m)) }
