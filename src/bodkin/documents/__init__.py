"""Pages to print: Typst templates and what fills them."""
