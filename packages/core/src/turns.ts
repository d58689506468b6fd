/** Work that is done a little at a time: it yields in between, so that whoever drives it can let others have their turn, and returns what it made. */
export type Turns<Made> = Generator<void, Made, void>
