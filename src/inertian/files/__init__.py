"""Reading tables into trials, and writing them."""
