"""Small parts that every panel uses: theme, lengths, forms, messages."""
