package load

//go:generate sh -c "cd ../../tools && go run ./heavy -out ../rigside/load/kernel_amd64.s -stubs ../rigside/load/kernel_amd64.gen.go -pkg load"
