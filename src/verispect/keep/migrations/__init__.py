"""Steps from one form of the book to the next, run by Alembic when a book is opened."""
