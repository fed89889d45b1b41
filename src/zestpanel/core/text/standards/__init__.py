"""The standards of speech markup as schemas, and documents held against them."""
