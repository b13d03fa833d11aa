"""One module for each method; each yields exposures. `method` describes them, `registry` runs them."""
