package main

import (
	"fmt"
	"os"
	"strings"

	"github.com/go-sql-driver/mysql"
)

// Secrets come from files or the environment, never from arguments, which every program on a machine can read.
const (
	tokenEnv    = "ZEROKEEL_TOKEN"
	passwordEnv = "ZEROKEEL_BOARD_PASSWORD"
)

// secret returns what a file holds, or, where none is named, an environment variable.
func secret(file, env string) (string, error) {
	if file == "" {
		return os.Getenv(env), nil
	}
	text, err := os.ReadFile(file)
	if err != nil {
		return "", fmt.Errorf("read a secret: %w", err)
	}
	return strings.TrimSpace(string(text)), nil
}

// databases returns the data source names given as arguments, and those of a file, a line each. A password belongs into the file.
func databases(given []string, file string) ([]string, error) {
	for _, dsn := range given {
		if cfg, err := mysql.ParseDSN(dsn); err == nil && cfg.Passwd != "" {
			return nil, fmt.Errorf("--dsn: the name of a database with a password can be read by every program here; " +
				"put it into a file and give that as --dsn-file")
		}
	}
	if file != "" {
		text, err := os.ReadFile(file)
		if err != nil {
			return nil, fmt.Errorf("read the names of databases: %w", err)
		}
		given = append(given, strings.Fields(string(text))...)
	}
	if len(given) == 0 {
		return nil, fmt.Errorf("no database is named; give --dsn or --dsn-file")
	}
	return given, nil
}
