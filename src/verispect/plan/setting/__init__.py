"""The numbers of a method for the kit in the hand: mount, frames in order, bracket, head, rail, what is lost."""
