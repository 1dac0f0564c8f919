"""What carries stations out: recipes, hashes of what a result depends on, stores, the running order. Knows no station."""
