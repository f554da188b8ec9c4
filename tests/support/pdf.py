"""What stands on the pages of a PDF, read by a library that the product does not use."""

import pypdfium2


def page_texts(content: bytes) -> list[str]:
    """The text of each page, its lines in the order they stand in the file."""
    with pypdfium2.PdfDocument(content) as document:
        return [page.get_textpage().get_text_range().replace("\r\n", "\n") for page in document]
