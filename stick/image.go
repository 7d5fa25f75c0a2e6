package stick

import (
	"fmt"
	"os"
	"path"
	"strconv"
	"time"

	"github.com/diskfs/go-diskfs"
	backend "github.com/diskfs/go-diskfs/backend/file"
	"github.com/diskfs/go-diskfs/disk"
	"github.com/diskfs/go-diskfs/filesystem"
	"github.com/diskfs/go-diskfs/partition/gpt"
)

// Label names the stick's file system, by which a machine that was started from it finds it again.
const Label = "ZEROKEEL"

const (
	sector = 512
	before = 1 << 20  // bytes ahead of the partition, and behind it
	room   = 48 << 20 // bytes left free for the machines' journals and spools
	least  = 64 << 20 // of the partition: with fewer clusters, a file system is taken for one of another kind
)

// The same parts shall make the same image.
const (
	diskID      = "5A45524F-4B45-454C-8000-000000000001"
	partitionID = "5A45524F-4B45-454C-8000-000000000002"
)

var made = time.Date(2020, 1, 1, 0, 0, 0, 0, time.UTC)

// file is one of the image, its path in capitals or not as it shall be.
type file struct {
	path string
	data []byte
}

// image writes a partition table with one partition, its file system, and the files in it.
func image(f *os.File, files []file) error {
	// The library writes this moment, instead of the present one, where it is in the environment: nothing else of the program asks for it.
	if err := os.Setenv("SOURCE_DATE_EPOCH", strconv.FormatInt(made.Unix(), 10)); err != nil {
		return err
	}
	size := int64(room)
	for _, one := range files {
		size += int64(len(one.data))
	}
	size = (max(size, least) + before - 1) / before * before
	if err := f.Truncate(before + size + before); err != nil {
		return fmt.Errorf("make room for the image: %w", err)
	}
	d, err := diskfs.OpenBackend(backend.New(f, false), diskfs.WithSectorSize(sector))
	if err != nil {
		return fmt.Errorf("lay out the image: %w", err)
	}
	if err := d.Partition(&gpt.Table{GUID: diskID, ProtectiveMBR: true, LogicalSectorSize: sector, PhysicalSectorSize: sector,
		Partitions: []*gpt.Partition{{Index: 1, Start: before / sector, End: uint64((before+size)/sector - 1), Type: gpt.EFISystemPartition,
			Name: "Zero Keel bench stick", GUID: partitionID}}}); err != nil {
		return fmt.Errorf("write the partition table: %w", err)
	}
	fat, err := d.CreateFilesystem(disk.FilesystemSpec{Partition: 1, FSType: filesystem.TypeFat32, VolumeLabel: Label, Reproducible: true})
	if err != nil {
		return fmt.Errorf("make the file system: %w", err)
	}
	for _, one := range files {
		if err := put(fat, one); err != nil {
			return fmt.Errorf("write %s to the image: %w", one.path, err)
		}
	}
	return nil
}

func put(fat filesystem.FileSystem, one file) error {
	if dir := path.Dir(one.path); dir != "/" {
		if err := fat.Mkdir(dir); err != nil {
			return err
		}
	}
	f, err := fat.OpenFile(one.path, os.O_CREATE|os.O_RDWR)
	if err != nil {
		return err
	}
	if _, err := f.Write(one.data); err != nil {
		return err
	}
	return f.Close()
}
