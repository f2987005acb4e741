"""Proposes what the columns and rows of a log mean: by names, by values, by what is beside them."""
