"""Issued designs: frozen, lettered, offered, answered; their papers and the links that show them."""
