/** What keys do, by where they do it; the page of keys shows them as they stand here. */
export const KEYS: readonly { where: string; keys: readonly (readonly [string, string])[] }[] = [
  {
    where: "In a move",
    keys: [
      ["1 to 5", "to a stop of the route"],
      ["Ctrl Z", "undo"],
      ["Ctrl Shift Z", "redo"],
      ["?", "these keys, shown or put away"],
      ["Escape", "close the panel"],
    ],
  },
  {
    where: "Lists and trees",
    keys: [
      ["↑ ↓", "up and down"],
      ["← →", "fold and unfold a group"],
      ["Shift ↑ ↓", "choose a range"],
      ["Ctrl A", "choose all that are found"],
      ["Space", "choose, or take off again"],
      ["Escape", "choose none"],
      ["a letter", "to what begins with it"],
    ],
  },
  {
    where: "Numbers",
    keys: [
      ["↑ ↓", "a step up or down"],
      ["Shift ↑ ↓", "ten steps"],
      ["Alt ↑ ↓", "a tenth of a step"],
      ["Enter", "set it"],
      ["Escape", "as it was"],
    ],
  },
  {
    where: "The live view, standing in it",
    keys: [
      ["↑ ↓", "walk, stopped by what blocks"],
      ["← →", "turn"],
      ["Shift ↑ ↓", "large steps"],
    ],
  },
  {
    where: "Surroundings and panels on the strip",
    keys: [
      ["← →", "round the subject"],
      ["↑ ↓", "up and down"],
    ],
  },
  {
    where: "What lights the scene",
    keys: [
      ["← →", "try the one before or after"],
      ["Enter", "take it"],
    ],
  },
  {
    where: "A lamp on the contact strip",
    keys: [
      ["↑ ↓", "a tenth of a stop brighter or darker"],
      ["Shift ↑ ↓", "a whole stop"],
      ["Home", "as it was"],
      ["Space", "strike it out, or light it again"],
      ["A, held", "this lamp alone"],
    ],
  },
  {
    where: "A clip",
    keys: [
      ["← →", "a frame back or on"],
      ["Home, End", "its beginning and its end"],
    ],
  },
  {
    where: "Pictures of a proof",
    keys: [
      ["+ −", "enlarge, reduce"],
      ["0", "the whole picture"],
      ["Space, held", "flick to the other side"],
    ],
  },
];
