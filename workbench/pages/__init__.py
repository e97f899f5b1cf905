"""What the pages of every feature share: steps, forms that save by themselves, papers, answers."""
