"""What somebody may do, and which right taking an act back needs."""

from enum import StrEnum

NOT_VISIBLE = "not visible to your role"
"""What stands where a role sees nothing of what there is: nobody and nothing would be other statements."""


class Right(StrEnum):
    """Something a role may do or not, in the words of a refusal: As aide you cannot ..."""

    SIGNED_IN = "be signed in"
    SCORES = "see scores, growth and bands"
    EVERY_MEASURE = "see other measures than those of the own groups"
    PROGRAMS = "see programs and other fields of the roster"
    HISTORY = "see absences, grades, goals and reviews of a student"
    GROUPS_SEE = "see groups"
    GROUPS_OF_STUDENTS = "see groups that others lead"
    GROUPS_MAKE = "make and change groups"
    GROUPS_OF_OTHERS = "change groups that others made"
    GOALS_SET = "set goals"
    EXPORT_NAMES = "export with names"
    ASK_RETEST = "ask for a retest or say why somebody was not tested"
    DECIDE = "set results aside or choose which counts"
    ENTER = "enter what students hold, sessions and practice"
    PRACTICE = "see practice"
    TEAM = "decide about students' help"
    NOTES = "write and read notes on students"
    NOTES_OF_OTHERS = "read every note and document on students"
    NOTES_CHANGE = "change notes of others"
    DOCUMENTS = "attach and read documents on students"
    DOCUMENTS_OF_OTHERS = "remove documents of others"
    PAGES = "make pages for students and families"
    PAGES_OF_OTHERS = "see pages that others made"
    MATERIAL = "keep material and give it to students"
    ITEMS = "correct the key of an item or drop it"
    SETUP = "bring in files, cuts, norms and people"
    UNDO_OF_OTHERS = "undo what others did"
    LOGS = "see who opened and exported what"
    LOGS_OF_DISTRICT = "see who exported what in other schools"


UNDO: dict[str, Right] = {
    "decision": Right.DECIDE,
    "correction": Right.DECIDE,
    "retest": Right.ASK_RETEST,
    "reason": Right.ASK_RETEST,
    "goal": Right.GOALS_SET,
    "target": Right.GOALS_SET,
    "group": Right.GROUPS_MAKE,
    "session": Right.ENTER,
    "import": Right.SETUP,
    "item": Right.ITEMS,
    "mastery": Right.ENTER,
    "material": Right.MATERIAL,
    "practice goal": Right.GOALS_SET,
    "team": Right.TEAM,
    "word": Right.TEAM,
    "note": Right.NOTES,
    "document": Right.DOCUMENTS,
    "page set": Right.DECIDE,
    "setting": Right.SETUP,
}
"""Which right taking back an act of each kind needs; an own act, or anybody's with ``UNDO_OF_OTHERS``."""
