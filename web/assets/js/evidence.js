// What is asked for each kind of evidence, and what helps to answer it.
export const ASK = {
  touch: [
    "Z, mm",
    "Bring the nozzle down until it touches the flat top, and read Z off the display.",
  ],
  caliper: [
    "height, mm",
    "From the bed to the top; a first layer that was squashed is allowed for.",
  ],
  counted: [
    "layers",
    "Click on the spine where the ledge, hole or step lies that you counted from.",
  ],
  layer: ["layer", "Counted from 1; it decides."],
  "file-number": ["number", "As the file or the display counts; often one less."],
  display: ["", "Where the head stood when it stopped."],
  minutes: ["min, or h:min", "By the clock, heating left out; it may be off by a twentieth."],
  percent: ["%", "Of the file, not of the time; it may be off by half a percent."],
  line: ["line", "The line that was sent last; the file goes on with it."],
  byte: ["bytes", "What the host or the card reader shows."],
  e: ["E, mm", "Only in files that count their filament from the start."],
  picture: ["height, mm", "Taken from the side, from as low and as far away as you can."],
  weight: ["part, g", "On a kitchen scale, off the bed only if it came off anyway."],
  spool: ["lost, g", "What it weighed before, less what it weighs now; of one filament only."],
  used: ["used, m", "Since the print began, by a meter or by what is left; of one filament only."],
};
