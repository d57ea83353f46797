package main

type demoCmd struct {
	Port int    `default:"8080" help:"Port to listen on."`
	Data string `help:"Folder to keep the data in; a fresh temporary one when left out." type:"path"`
}
type serveCmd struct {
	Port int    `default:"8080" help:"Port to listen on."`
	Host string `default:"127.0.0.1" help:"Address to listen on."`
	Data string `help:"Folder to keep the data in." type:"path"`
}

func (c *demoCmd) Run() error  { return nil }
func (c *serveCmd) Run() error { return nil }
