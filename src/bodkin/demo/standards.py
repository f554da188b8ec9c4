"""Invented standards for grades 2 to 8 in reading and mathematics, and what each rests on."""

from dataclasses import dataclass

FIRST_GRADE = 2


@dataclass(frozen=True, slots=True)
class Ladder:
    """A strand: what is learned first and second in each grade from 2 to 8."""

    subject: str
    letters: str
    strand: str
    steps: tuple[tuple[str, str], ...]


LADDERS = (
    Ladder(
        "reading", "WW", "Word work",
        (
            ("Read words of two syllables by their parts", "Read common words that break the rules at sight"),
            ("Read words with common beginnings and endings", "Part longer words into syllables"),
            ("Use beginnings, endings and roots to read unknown words", "Read a grade text aloud with few errors"),
            ("Use roots from other languages to read long words", "Read aloud in the phrases that the sense asks for"),
            ("Read words of the school subjects by their parts", "Change pace and voice with the kind of text"),
            ("Tell apart words that share a root", "Read old and unusual spellings from the text around them"),
            ("Trace a word's form and meaning to its root", "Read aloud so that a listener follows an argument"),
        ),
    ),
    Ladder(
        "reading", "VO", "Vocabulary",
        (
            ("Sort words by meaning", "Use the sentence to find what a word means"),
            ("Explain words that mean nearly the same", "Choose the meaning of a word that fits the sentence"),
            ("Find a meaning from clues in the paragraph", "Explain simple figures of speech"),
            ("Explain words by how they relate to others", "Explain comparisons and sayings in a text"),
            ("Use exact words of the school subjects", "Tell what a word's tone adds"),
            ("Follow how a word's meaning grows in a text", "Explain figures of speech by what they do"),
            ("Weigh words by tone and weight", "Explain irony and play on words"),
        ),
    ),
    Ladder(
        "reading", "SS", "Story structure",
        (
            ("Tell who, where and what happened in order", "Say what a story's trouble is and how it ends"),
            ("Describe people in a story by what they do", "Tell how one event leads to another"),
            ("Tell a story's theme with details", "Compare how two people in a story see an event"),
            ("Explain how chapters or scenes build on each other", "Compare themes of two stories"),
            ("Explain how a plot turns on people's choices", "Explain how the teller shapes what we know"),
            ("Follow how a theme grows", "Explain how place and time shape a story"),
            ("Explain how a turn of talk or event drives a story", "Weigh what different tellers make a reader feel"),
        ),
    ),
    Ladder(
        "reading", "IT", "Informing texts",
        (
            ("Say what a text is mainly about", "Use headings and pictures to find facts"),
            ("Tell the main point and the details that hold it up", "Follow steps and reasons in order"),
            ("Sum up a text by its main points", "Explain how a text is built: order, reasons, comparison"),
            ("Explain how two main points are held up", "Put together facts from several texts"),
            ("Sum up without one's own opinion", "Follow how a part fits the whole"),
            ("Follow how main points grow side by side", "Weigh whether reasons hold up a claim"),
            ("Weigh an argument and its evidence", "Find where two texts disagree, and on what"),
        ),
    ),
    Ladder(
        "reading", "RC", "Reading closely",
        (
            ("Answer questions with words from the text", "Ask who, what, where, when, why and how"),
            ("Point to the sentence that gives the answer", "Conclude something simple from what is said"),
            ("Use details to explain what a text says and hints", "Tell what is said from what is meant"),
            ("Quote exactly to hold up a conclusion", "Compare two accounts of one event"),
            ("Hold up what a text hints with quoted words", "Tell a fact from a judgement"),
            ("Hold up a conclusion with several places", "Tell where a text leaves a matter open"),
            ("Choose the evidence that holds up most", "Weigh what a text leaves out"),
        ),
    ),
    Ladder(
        "mathematics", "NP", "Number and place value",
        (
            ("Read, write and compare numbers to 1,000", "Make and break hundreds, tens and ones"),
            ("Round to the nearest ten and hundred", "Explain what each digit of a number is worth"),
            ("Explain that each place is worth ten times the next", "Read, write and compare numbers to a million"),
            ("Explain places to the right of the point", "Explain what times and divided by ten does to places"),
            ("Place positive and negative numbers on a line", "Compare sizes whatever the sign"),
            ("Reckon with positive and negative numbers", "Write a fraction as a decimal that ends or repeats"),
            ("Tell numbers that are no fraction", "Write very large and small numbers by powers of ten"),
        ),
    ),
    Ladder(
        "mathematics", "OP", "Operations",
        (
            ("Add and take away within 100", "Show equal groups by adding again and again"),
            ("Multiply and divide within 100", "Solve stories with two steps"),
            ("Multiply by numbers of two digits", "Divide with a remainder and say what it means"),
            ("Multiply whole numbers the written way", "Divide by numbers of two digits"),
            ("Divide by a fraction", "Find common factors and multiples"),
            ("Solve stories with rates and per cents", "Solve equations with two steps"),
            ("Solve equations with unknowns on both sides", "Reckon with powers"),
        ),
    ),
    Ladder(
        "mathematics", "FD", "Fractions and decimals",
        (
            ("Share a shape into equal parts and name them", "Find half and quarter of a number"),
            ("Place fractions on a line", "Tell fractions that are equal"),
            ("Compare fractions with unlike parts", "Write tenths and hundredths as decimals"),
            ("Compare decimals to thousandths", "Add and take away decimals"),
            ("Reckon with decimals of several places", "Describe two amounts by a ratio"),
            ("Find per cents of amounts", "Tell amounts that keep one ratio"),
            ("Draw and read straight lines from a ratio", "Compare ratios given in different ways"),
        ),
    ),
    Ladder(
        "mathematics", "MD", "Measures and data",
        (
            ("Measure lengths with whole units", "Read a picture graph and a bar graph"),
            ("Find areas by counting squares", "Tell time and solve stories about it"),
            ("Change between units of one kind", "Show data on a line plot"),
            ("Find volumes by counting cubes", "Read and draw points on a grid"),
            ("Find the middle and the spread of data", "Find areas of triangles"),
            ("Draw conclusions from a sample", "Find the chance of an event"),
            ("Find a line that fits data", "Find volumes of round shapes"),
        ),
    ),
    Ladder(
        "mathematics", "SH", "Shape",
        (
            ("Name shapes by their sides and corners", "Part shapes into rows and columns"),
            ("Sort four-sided shapes", "Find the way around a shape"),
            ("Draw and name lines and angles", "Find lines of symmetry"),
            ("Sort shapes by all their properties", "Measure and draw angles"),
            ("Draw shapes on a grid with four quarters", "Find surfaces of boxes"),
            ("Draw shapes to scale", "Find angles where lines cross"),
            ("Tell shapes alike after turning and sliding", "Use the rule of the right triangle"),
        ),
    ),
)  # fmt: skip


def code(ladder: Ladder, grade: int, place: int) -> str:
    """The code of a standard, such as ``M5-FD-2``."""
    return f"{ladder.subject[0].upper()}{grade}-{ladder.letters}-{place + 1}"


def standard_rows() -> list[dict[str, str]]:
    """Every standard; in each pair the first is a priority."""
    return [
        {
            "code": code(ladder, FIRST_GRADE + at, place),
            "grade": str(FIRST_GRADE + at),
            "subject": ladder.subject,
            "strand": ladder.strand,
            "text": text,
            "kind": ("priority", "supporting")[place],
            "parent": f"{ladder.subject[0].upper()}-{ladder.letters}",
        }
        for ladder in LADDERS
        for at, pair in enumerate(ladder.steps)
        for place, text in enumerate(pair)
    ]


ACROSS = (
    ("M3-OP-1", "M2-NP-2"),
    ("M4-OP-1", "M3-NP-2"),
    ("M4-FD-2", "M4-NP-1"),
    ("M5-FD-1", "M4-NP-1"),
    ("M5-FD-1", "M5-NP-1"),
    ("M5-FD-2", "M3-NP-2"),
    ("M5-FD-2", "M5-NP-1"),
    ("M6-FD-1", "M5-NP-2"),
    ("M6-OP-1", "M5-FD-1"),
    ("M7-FD-1", "M6-FD-2"),
    ("R4-SS-1", "R3-RC-2"),
    ("R5-IT-2", "R4-RC-1"),
    ("R7-IT-2", "R6-RC-2"),
)
"""Standards that rest on one of another strand."""


def prerequisite_rows() -> list[tuple[str, str]]:
    """A standard and what it rests on: the same place of the grade below, and across strands."""
    ladder_wise = [
        (code(ladder, FIRST_GRADE + at, place), code(ladder, FIRST_GRADE + at - 1, place))
        for ladder in LADDERS
        for at in range(1, len(ladder.steps))
        for place in (0, 1)
    ]
    return [*ladder_wise, *ACROSS]
