module dogear

go 1.26.0

require github.com/alecthomas/kong v1.17.0
