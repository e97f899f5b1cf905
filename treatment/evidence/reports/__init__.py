"""Laboratory reports as they are printed -> samples with every row understood, asked or left aside; nothing dropped, nothing guessed as sure.

`read.read_sheets` is the door; `sheets` is what it is given, `results` how a row is judged.
"""
