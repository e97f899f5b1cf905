"""Starting up: the run sheet of a train, from the boxes in the hallway to proven water."""
