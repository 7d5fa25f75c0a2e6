package load

//go:generate sh -c "cd ../../tools && go run ./heavy -out ../rigside/load/heavy_amd64.s -stubs ../rigside/load/heavy_amd64.gen.go -pkg load"
//go:generate sh -c "cd ../../tools && go run ./butterfly -out ../rigside/load/transform_amd64.s -stubs ../rigside/load/transform_amd64.gen.go -pkg load"
// The residues change only with the exponents, and take a quarter of an hour:
// cd ../../tools && go run ./residues -out ../rigside/load/residues.gen.go
