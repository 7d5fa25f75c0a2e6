package trim

// FirstKeys is the number of firstKeys.
var FirstKeys = len(firstKeys)
