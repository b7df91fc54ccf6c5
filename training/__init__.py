"""How the networks were trained. Needs torch, which the program itself does not."""
