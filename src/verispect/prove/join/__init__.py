"""One picture of a grid."""
