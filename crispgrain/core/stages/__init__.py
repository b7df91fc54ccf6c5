"""The stages, one folder each; a model is one file in its stage's folder."""
