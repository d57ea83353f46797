// Classes of paths, numbered as the server sends them (core/layer.Class). above orders them where
// they cross; tone is the share of the page's colour in them; thin is how much of the laid width
// is drawn.
export const CLASSES = [
  { name: "travel", above: 0, tone: 0, thin: 1 },
  { name: "outer wall", above: 7, tone: 0, thin: 1 },
  { name: "inner wall", above: 6, tone: 0.28, thin: 0.9 },
  { name: "fill", above: 2, tone: 0.56, thin: 0.8 },
  { name: "solid fill", above: 3, tone: 0.4, thin: 0.85 },
  { name: "support", above: 1, tone: 0.66, thin: 0.7 },
  { name: "skirt or brim", above: 4, tone: 0.62, thin: 0.7 },
  { name: "other", above: 5, tone: 0.4, thin: 0.8 },
];

const numbered = (name) => CLASSES.findIndex((c) => c.name === name);

export const TRAVEL = numbered("travel"), // lays nothing
  OUTER = numbered("outer wall"),
  INNER = numbered("inner wall"),
  SKIRT = numbered("skirt or brim");
