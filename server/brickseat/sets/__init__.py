"""Sets: their pieces and their history in the database, and the one way to change them."""
