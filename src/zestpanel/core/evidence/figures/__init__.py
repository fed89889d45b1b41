"""One file a kind of figure; each declares FIGURES (or what is ``declared`` elsewhere), and is found by being here."""
