package main

import "github.com/alecthomas/kong"

// helps are the longer texts of --help, by the name that a flag calls them by.
var helps = kong.Vars{
	"accept":        "Let a finding of level stop pass: CODE@LINE. Repeatable; the file names it.",
	"bind_heads_up": "Tones and a message so many minutes before each joint that stops.",
	"bind_nozzle":   "Nozzle that goes in at nozzle joints, mm. One for all, or one for each.",
	"bind_dz": "By how much everything behind a joint is lifted, mm. One for all, or one for " +
		"each.",
	"bind_joint": "What is done at each joint: nothing, nozzle or colour. One for all, or one for " +
		"each.",
	"core_inplace": "Write FILE itself, and keep what it was beside it as FILE.orig. A plan made " +
		"for another file is applied by height.",
	"handshake_simulate": "Let a simulated printer run it and say what one would see: knob, card, " +
		"macros, host, one-word, deaf, sleepy.",
	"handshake_word": "A stop word to try. Repeatable; without it the usual eight are tried.",
	"main_open":      "Open your own shelf in the browser, or files on it. The default.",
	"serve_data":     "Folder to keep the data in; your own data folder when left out.",
	"main_cue":       "Write the cue sheet of a plan: when each stop comes and what to do.",
	"other":          "Apply a plan made for another model all the same.",
	"pickup_counted": "Layers counted up from one that can be recognised.",
	"pickup_picture": "Height of the part in a picture from the side, mm.",
	"pickup_own":     "A line that the start-up set, once it has homed, such as M420 S1. Repeatable.",
	"pickup_weight":  "The part on a scale, with what was cut off it, g.",
	"pickup_gentle": "Of a loose top: lay its first layer as high, as warm and as slowly as the " +
		"file lays its own.",
	"pickup_along": "Of the move in --line, so much lies on the part already; the rest of it is laid.",
	"pickup_brim":  "Of a loose top: a brim so wide round it, in loops on the bed; 20 at the most.",
	"pickup_touch": "Z shown when the nozzle touches the part, mm.",
	"pickup_z":     "How the height is found: kept, touch or clear.",
	"rehearse_fault": "Something that goes wrong: KIND@line:N, @layer:N or @minute:T; power, stop, " +
		"sensor, runout, jam, skip-x, skip-y.",
	"serve_host": "Address to listen on; another than this machine's own asks everybody for a " +
		"passphrase.",
	"serve_name": "A name or an address by which others reach this machine, where it cannot know " +
		"that itself, as in a container; repeatable.",
	"serve_new": "Set another passphrase: from DOGEAR_PASSPHRASE, or asked for.",
	"serve_plan": "The plan (dogear-plan/1) for the files of the folder that is watched; one for " +
		"each, in their order.",
	"plate": "Of an archive with several plates, the one that is meant: its name, or its number " +
		"from 1 on.",
	"serve_cert": "Certificate to show, PEM; one is made when left out.",
	"serve_tls": "Speak TLS, so that nobody on the network reads along, and telephones let a page " +
		"keep the screen awake and use the camera.",
	"serve_watch": "Folder in which every new file gets the plan, in place; what it was is kept " +
		"beside it as FILE.orig. Repeatable, each with its plan.",
	"out":                "File to write; - for standard output.",
	"bind_routine":       "Routine of the joints, by name: one that ships, or one of the plan.",
	"bind_plan":          "A plan (dogear-plan/1) whose printer and routines are used.",
	"evidence_clearance": "How far above the part the head crosses, mm.",
	"handshake_plan":     "Plan whose printer is asked; without one the bed is not known.",
	"main_proof":         "Say what differs between two files, and what could go wrong.",
	"open_port":          "Port to listen on; the first free one from 8080 on when left out.",
	"pickup_flow":        "Percent of the file's filament, of the eased layers if there are any.",
	"demo_fast": "How many times as fast as elsewhere time passes on the watch, so that a print is " +
		"over in a minute.",
	"demo_data": "Folder to keep the data in; a fresh temporary one when left out.",
}
