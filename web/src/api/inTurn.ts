/** What is decided of a move is sent one after the other, as it was pressed: an undo pressed right after an act takes back that act. */
export const inTurn = (id: number) => ({ id: `move ${id}` });
