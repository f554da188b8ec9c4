"""What the rest of a round needs: standards, items, practice, sessions, goals, fields, identifiers, sources."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables up."""
    op.create_table(
        "roster_source",
        sa.Column("name", sa.String(length=160), nullable=False),
        sa.Column("address", sa.String(length=255), nullable=False),
        sa.Column("client_id", sa.String(length=160), nullable=False),
        sa.Column("client_secret", sa.String(length=255), nullable=False),
        sa.Column("at_hour", sa.Integer(), nullable=True),
        sa.Column("last_at", sa.DateTime(), nullable=True),
        sa.Column("last_told", sa.String(length=1000), nullable=True),
        sa.Column("last_failed", sa.Boolean(), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_roster_source")),
        sa.UniqueConstraint("name", name=op.f("uq_roster_source_name")),
    )
    op.create_table(
        "field",
        sa.Column("name", sa.String(length=64), nullable=False),
        sa.Column("shown", sa.Boolean(), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_field_import_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_field")),
        sa.UniqueConstraint("name", name=op.f("uq_field_name")),
    )
    op.create_index(op.f("ix_field_import_id"), "field", ["import_id"], unique=False)
    op.create_table(
        "item",
        sa.Column("test", sa.String(length=160), nullable=False),
        sa.Column("item", sa.String(length=64), nullable=False),
        sa.Column("key", sa.String(length=64), nullable=False),
        sa.Column("points", sa.Double(), nullable=False),
        sa.Column("options", sa.String(length=255), nullable=True),
        sa.Column("standards", sa.String(length=255), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_item_import_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_item")),
        sa.UniqueConstraint("test", "item", name=op.f("uq_item_test_item")),
    )
    op.create_index(op.f("ix_item_import_id"), "item", ["import_id"], unique=False)
    op.create_table(
        "standard",
        sa.Column("code", sa.String(length=64), nullable=False),
        sa.Column("grade", sa.String(length=8), nullable=False),
        sa.Column("subject", sa.String(length=64), nullable=False),
        sa.Column("strand", sa.String(length=160), nullable=False),
        sa.Column("text", sa.String(length=1000), nullable=False),
        sa.Column("kind", sa.String(length=64), nullable=True),
        sa.Column("parent", sa.String(length=64), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_standard_import_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_standard")),
        sa.UniqueConstraint("code", name=op.f("uq_standard_code")),
    )
    op.create_index(op.f("ix_standard_import_id"), "standard", ["import_id"], unique=False)
    op.create_table(
        "absence",
        sa.Column("student_id", sa.BigInteger(), nullable=False),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("reason", sa.String(length=160), nullable=True),
        sa.Column("minutes", sa.Integer(), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_absence_import_id")),
        sa.ForeignKeyConstraint(["student_id"], ["student.id"], name=op.f("fk_absence_student_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_absence")),
        sa.UniqueConstraint("student_id", "day", name=op.f("uq_absence_student_id_day")),
    )
    op.create_index(op.f("ix_absence_import_id"), "absence", ["import_id"], unique=False)
    op.create_table(
        "answer",
        sa.Column("student_id", sa.BigInteger(), nullable=False),
        sa.Column("item_id", sa.BigInteger(), nullable=False),
        sa.Column("tested_on", sa.Date(), nullable=True),
        sa.Column("option", sa.String(length=64), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_answer_import_id")),
        sa.ForeignKeyConstraint(["item_id"], ["item.id"], name=op.f("fk_answer_item_id")),
        sa.ForeignKeyConstraint(["student_id"], ["student.id"], name=op.f("fk_answer_student_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_answer")),
        sa.UniqueConstraint("student_id", "item_id", "tested_on", name=op.f("uq_answer_student_id_item_id_tested_on")),
    )
    op.create_index(op.f("ix_answer_import_id"), "answer", ["import_id"], unique=False)
    op.create_table(
        "course",
        sa.Column("school_year_id", sa.BigInteger(), nullable=True),
        sa.Column("title", sa.String(length=160), nullable=False),
        sa.Column("code", sa.String(length=64), nullable=True),
        sa.Column("subject", sa.String(length=64), nullable=True),
        sa.Column("grade", sa.String(length=8), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.Column("sourced_id", sa.String(length=255), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_course_import_id")),
        sa.ForeignKeyConstraint(["school_year_id"], ["school_year.id"], name=op.f("fk_course_school_year_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_course")),
        sa.UniqueConstraint("sourced_id", name=op.f("uq_course_sourced_id")),
    )
    op.create_index(op.f("ix_course_import_id"), "course", ["import_id"], unique=False)
    op.create_table(
        "entitlement",
        sa.Column("student_id", sa.BigInteger(), nullable=False),
        sa.Column("accommodation", sa.String(length=160), nullable=False),
        sa.Column("first_day", sa.Date(), nullable=True),
        sa.Column("last_day", sa.Date(), nullable=True),
        sa.Column("source", sa.String(length=160), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_entitlement_import_id")),
        sa.ForeignKeyConstraint(["student_id"], ["student.id"], name=op.f("fk_entitlement_student_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_entitlement")),
        sa.UniqueConstraint(
            "student_id", "accommodation", "first_day", name=op.f("uq_entitlement_student_id_accommodation_first_day")
        ),
    )
    op.create_index(op.f("ix_entitlement_import_id"), "entitlement", ["import_id"], unique=False)
    op.create_table(
        "identifier",
        sa.Column("student_id", sa.BigInteger(), nullable=False),
        sa.Column("kind", sa.String(length=64), nullable=False),
        sa.Column("value", sa.String(length=64), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_identifier_import_id")),
        sa.ForeignKeyConstraint(["student_id"], ["student.id"], name=op.f("fk_identifier_student_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_identifier")),
        sa.UniqueConstraint("student_id", "kind", name=op.f("uq_identifier_student_id_kind")),
    )
    op.create_index(op.f("ix_identifier_import_id"), "identifier", ["import_id"], unique=False)
    op.create_index(op.f("ix_identifier_value"), "identifier", ["value"], unique=False)
    op.create_table(
        "link",
        sa.Column("assessment_id", sa.BigInteger(), nullable=False),
        sa.Column("grade", sa.String(length=8), nullable=False),
        sa.Column("season", sa.String(length=8), nullable=False),
        sa.Column("min_score", sa.Double(), nullable=False),
        sa.Column("outcome", sa.String(length=160), nullable=False),
        sa.Column("level", sa.String(length=64), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["assessment_id"], ["assessment.id"], name=op.f("fk_link_assessment_id")),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_link_import_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_link")),
        sa.UniqueConstraint(
            "assessment_id",
            "grade",
            "season",
            "outcome",
            "level",
            name=op.f("uq_link_assessment_id_grade_season_outcome_level"),
        ),
    )
    op.create_index(op.f("ix_link_import_id"), "link", ["import_id"], unique=False)
    op.create_table(
        "marking_period",
        sa.Column("school_year_id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.String(length=160), nullable=False),
        sa.Column("first_day", sa.Date(), nullable=True),
        sa.Column("last_day", sa.Date(), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.Column("sourced_id", sa.String(length=255), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_marking_period_import_id")),
        sa.ForeignKeyConstraint(["school_year_id"], ["school_year.id"], name=op.f("fk_marking_period_school_year_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_marking_period")),
        sa.UniqueConstraint("school_year_id", "name", name=op.f("uq_marking_period_school_year_id_name")),
        sa.UniqueConstraint("sourced_id", name=op.f("uq_marking_period_sourced_id")),
    )
    op.create_index(op.f("ix_marking_period_import_id"), "marking_period", ["import_id"], unique=False)
    op.create_table(
        "practice_entry",
        sa.Column("student_id", sa.BigInteger(), nullable=False),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("text", sa.String(length=160), nullable=False),
        sa.Column("minutes", sa.Double(), nullable=True),
        sa.Column("kind", sa.String(length=64), nullable=True),
        sa.Column("length", sa.Integer(), nullable=True),
        sa.Column("level", sa.Double(), nullable=True),
        sa.Column("help", sa.String(length=64), nullable=True),
        sa.Column("items", sa.Integer(), nullable=True),
        sa.Column("right", sa.Integer(), nullable=True),
        sa.Column("passed", sa.Boolean(), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_practice_entry_import_id")),
        sa.ForeignKeyConstraint(["student_id"], ["student.id"], name=op.f("fk_practice_entry_student_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_practice_entry")),
        sa.UniqueConstraint("student_id", "day", "text", name=op.f("uq_practice_entry_student_id_day_text")),
    )
    op.create_index(op.f("ix_practice_entry_import_id"), "practice_entry", ["import_id"], unique=False)
    op.create_table(
        "prerequisite",
        sa.Column("standard_id", sa.BigInteger(), nullable=False),
        sa.Column("rests_on_id", sa.BigInteger(), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_prerequisite_import_id")),
        sa.ForeignKeyConstraint(["rests_on_id"], ["standard.id"], name=op.f("fk_prerequisite_rests_on_id")),
        sa.ForeignKeyConstraint(["standard_id"], ["standard.id"], name=op.f("fk_prerequisite_standard_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_prerequisite")),
        sa.UniqueConstraint("standard_id", "rests_on_id", name=op.f("uq_prerequisite_standard_id_rests_on_id")),
    )
    op.create_index(op.f("ix_prerequisite_import_id"), "prerequisite", ["import_id"], unique=False)
    op.create_table(
        "student_field",
        sa.Column("student_id", sa.BigInteger(), nullable=False),
        sa.Column("field_id", sa.BigInteger(), nullable=False),
        sa.Column("value", sa.String(length=160), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["field_id"], ["field.id"], name=op.f("fk_student_field_field_id")),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_student_field_import_id")),
        sa.ForeignKeyConstraint(["student_id"], ["student.id"], name=op.f("fk_student_field_student_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_student_field")),
        sa.UniqueConstraint("student_id", "field_id", name=op.f("uq_student_field_student_id_field_id")),
    )
    op.create_index(op.f("ix_student_field_import_id"), "student_field", ["import_id"], unique=False)
    op.create_table(
        "course_grade",
        sa.Column("student_id", sa.BigInteger(), nullable=False),
        sa.Column("subject", sa.String(length=64), nullable=False),
        sa.Column("marking_period_id", sa.BigInteger(), nullable=False),
        sa.Column("symbol", sa.String(length=64), nullable=False),
        sa.Column("points", sa.Double(), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_course_grade_import_id")),
        sa.ForeignKeyConstraint(
            ["marking_period_id"], ["marking_period.id"], name=op.f("fk_course_grade_marking_period_id")
        ),
        sa.ForeignKeyConstraint(["student_id"], ["student.id"], name=op.f("fk_course_grade_student_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_course_grade")),
        sa.UniqueConstraint(
            "student_id",
            "subject",
            "marking_period_id",
            name=op.f("uq_course_grade_student_id_subject_marking_period_id"),
        ),
    )
    op.create_index(op.f("ix_course_grade_import_id"), "course_grade", ["import_id"], unique=False)
    op.create_table(
        "goal",
        sa.Column("student_id", sa.BigInteger(), nullable=False),
        sa.Column("assessment_id", sa.BigInteger(), nullable=False),
        sa.Column("kind", sa.String(length=64), nullable=False),
        sa.Column("target", sa.Double(), nullable=False),
        sa.Column("by_day", sa.Date(), nullable=False),
        sa.Column("plan", sa.String(length=500), nullable=True),
        sa.Column("agreed_with", sa.String(length=160), nullable=True),
        sa.Column("review_on", sa.Date(), nullable=True),
        sa.Column("made_by_id", sa.BigInteger(), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["assessment_id"], ["assessment.id"], name=op.f("fk_goal_assessment_id")),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_goal_import_id")),
        sa.ForeignKeyConstraint(["made_by_id"], ["person.id"], name=op.f("fk_goal_made_by_id")),
        sa.ForeignKeyConstraint(["student_id"], ["student.id"], name=op.f("fk_goal_student_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_goal")),
        sa.UniqueConstraint(
            "student_id", "assessment_id", "by_day", "kind", name=op.f("uq_goal_student_id_assessment_id_by_day_kind")
        ),
    )
    op.create_index(op.f("ix_goal_import_id"), "goal", ["import_id"], unique=False)
    op.create_table(
        "mastery_entry",
        sa.Column("student_id", sa.BigInteger(), nullable=False),
        sa.Column("standard_id", sa.BigInteger(), nullable=False),
        sa.Column("state", sa.String(length=16), nullable=False),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("source", sa.String(length=160), nullable=True),
        sa.Column("note", sa.String(length=255), nullable=True),
        sa.Column("by_id", sa.BigInteger(), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["by_id"], ["person.id"], name=op.f("fk_mastery_entry_by_id")),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_mastery_entry_import_id")),
        sa.ForeignKeyConstraint(["standard_id"], ["standard.id"], name=op.f("fk_mastery_entry_standard_id")),
        sa.ForeignKeyConstraint(["student_id"], ["student.id"], name=op.f("fk_mastery_entry_student_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_mastery_entry")),
        sa.UniqueConstraint(
            "student_id",
            "standard_id",
            "day",
            "source",
            name=op.f("uq_mastery_entry_student_id_standard_id_day_source"),
        ),
    )
    op.create_index(op.f("ix_mastery_entry_import_id"), "mastery_entry", ["import_id"], unique=False)
    op.create_table(
        "not_tested",
        sa.Column("student_id", sa.BigInteger(), nullable=False),
        sa.Column("window_id", sa.BigInteger(), nullable=False),
        sa.Column("reason", sa.String(length=160), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_not_tested_import_id")),
        sa.ForeignKeyConstraint(["student_id"], ["student.id"], name=op.f("fk_not_tested_student_id")),
        sa.ForeignKeyConstraint(["window_id"], ["window.id"], name=op.f("fk_not_tested_window_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_not_tested")),
        sa.UniqueConstraint("student_id", "window_id", name=op.f("uq_not_tested_student_id_window_id")),
    )
    op.create_index(op.f("ix_not_tested_import_id"), "not_tested", ["import_id"], unique=False)
    op.create_table(
        "note",
        sa.Column("student_id", sa.BigInteger(), nullable=False),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("text", sa.String(length=1000), nullable=False),
        sa.Column("audience", sa.String(length=16), nullable=False),
        sa.Column("by_id", sa.BigInteger(), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["by_id"], ["person.id"], name=op.f("fk_note_by_id")),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_note_import_id")),
        sa.ForeignKeyConstraint(["student_id"], ["student.id"], name=op.f("fk_note_student_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_note")),
    )
    op.create_index(op.f("ix_note_import_id"), "note", ["import_id"], unique=False)
    op.create_table(
        "session",
        sa.Column("group_id", sa.BigInteger(), nullable=False),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("minutes", sa.Double(), nullable=True),
        sa.Column("note", sa.String(length=255), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["group_id"], ["group.id"], name=op.f("fk_session_group_id")),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_session_import_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_session")),
        sa.UniqueConstraint("group_id", "day", name=op.f("uq_session_group_id_day")),
    )
    op.create_index(op.f("ix_session_import_id"), "session", ["import_id"], unique=False)
    op.create_table(
        "teaching_calendar",
        sa.Column("school_year_id", sa.BigInteger(), nullable=False),
        sa.Column("grade", sa.String(length=8), nullable=True),
        sa.Column("section_id", sa.BigInteger(), nullable=True),
        sa.Column("standard_id", sa.BigInteger(), nullable=False),
        sa.Column("first_day", sa.Date(), nullable=False),
        sa.Column("last_day", sa.Date(), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_teaching_calendar_import_id")),
        sa.ForeignKeyConstraint(
            ["school_year_id"], ["school_year.id"], name=op.f("fk_teaching_calendar_school_year_id")
        ),
        sa.ForeignKeyConstraint(["section_id"], ["section.id"], name=op.f("fk_teaching_calendar_section_id")),
        sa.ForeignKeyConstraint(["standard_id"], ["standard.id"], name=op.f("fk_teaching_calendar_standard_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_teaching_calendar")),
        sa.UniqueConstraint(
            "school_year_id",
            "grade",
            "section_id",
            "standard_id",
            "first_day",
            name=op.f("uq_teaching_calendar_school_year_id_grade_section_id_standard_id_first_day"),
        ),
    )
    op.create_index(op.f("ix_teaching_calendar_import_id"), "teaching_calendar", ["import_id"], unique=False)
    op.create_table(
        "attendance",
        sa.Column("session_id", sa.BigInteger(), nullable=False),
        sa.Column("student_id", sa.BigInteger(), nullable=False),
        sa.Column("minutes", sa.Double(), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_attendance_import_id")),
        sa.ForeignKeyConstraint(["session_id"], ["session.id"], name=op.f("fk_attendance_session_id")),
        sa.ForeignKeyConstraint(["student_id"], ["student.id"], name=op.f("fk_attendance_student_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_attendance")),
        sa.UniqueConstraint("session_id", "student_id", name=op.f("uq_attendance_session_id_student_id")),
    )
    op.create_index(op.f("ix_attendance_import_id"), "attendance", ["import_id"], unique=False)
    op.create_table(
        "result_scale",
        sa.Column("result_id", sa.BigInteger(), nullable=False),
        sa.Column("scale", sa.String(length=160), nullable=False),
        sa.Column("value", sa.String(length=160), nullable=False),
        sa.Column("low", sa.Double(), nullable=True),
        sa.Column("high", sa.Double(), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_result_scale_import_id")),
        sa.ForeignKeyConstraint(["result_id"], ["result.id"], name=op.f("fk_result_scale_result_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_result_scale")),
        sa.UniqueConstraint("result_id", "scale", name=op.f("uq_result_scale_result_id_scale")),
    )
    op.create_index(op.f("ix_result_scale_import_id"), "result_scale", ["import_id"], unique=False)
    op.add_column("assessment", sa.Column("norm_group", sa.String(length=160), nullable=True))
    op.add_column("closure", sa.Column("import_id", sa.BigInteger(), nullable=True))
    op.create_index(op.f("ix_closure_import_id"), "closure", ["import_id"], unique=False)
    op.create_foreign_key(op.f("fk_closure_import_id"), "closure", "import", ["import_id"], ["id"])
    op.add_column("enrolment", sa.Column("sourced_id", sa.String(length=255), nullable=True))
    op.create_unique_constraint(op.f("uq_enrolment_sourced_id"), "enrolment", ["sourced_id"])
    op.add_column("group", sa.Column("tier", sa.Integer(), nullable=True))
    op.add_column("group", sa.Column("times_a_week", sa.Integer(), nullable=True))
    op.add_column("group", sa.Column("minutes", sa.Double(), nullable=True))
    op.add_column("group", sa.Column("entry_rule", sa.String(length=255), nullable=True))
    op.add_column("group", sa.Column("exit_rule", sa.String(length=255), nullable=True))
    op.add_column("group", sa.Column("import_id", sa.BigInteger(), nullable=True))
    op.create_index(op.f("ix_group_import_id"), "group", ["import_id"], unique=False)
    op.create_foreign_key(op.f("fk_group_import_id"), "group", "import", ["import_id"], ["id"])
    op.add_column("group_member", sa.Column("import_id", sa.BigInteger(), nullable=True))
    op.create_index(op.f("ix_group_member_import_id"), "group_member", ["import_id"], unique=False)
    op.create_foreign_key(op.f("fk_group_member_import_id"), "group_member", "import", ["import_id"], ["id"])
    op.add_column("person", sa.Column("sourced_id", sa.String(length=255), nullable=True))
    op.create_unique_constraint(op.f("uq_person_sourced_id"), "person", ["sourced_id"])
    op.add_column("school", sa.Column("sourced_id", sa.String(length=255), nullable=True))
    op.create_unique_constraint(op.f("uq_school_sourced_id"), "school", ["sourced_id"])
    op.add_column("school_year", sa.Column("sourced_id", sa.String(length=255), nullable=True))
    op.create_unique_constraint(op.f("uq_school_year_sourced_id"), "school_year", ["sourced_id"])
    op.add_column("section", sa.Column("kind", sa.String(length=16), nullable=True))
    op.add_column("section", sa.Column("course_id", sa.BigInteger(), nullable=True))
    op.add_column("section", sa.Column("sourced_id", sa.String(length=255), nullable=True))
    op.create_unique_constraint(op.f("uq_section_sourced_id"), "section", ["sourced_id"])
    op.create_foreign_key(op.f("fk_section_course_id"), "section", "course", ["course_id"], ["id"])
    op.add_column("section_teacher", sa.Column("first_day", sa.Date(), nullable=True))
    op.add_column("section_teacher", sa.Column("last_day", sa.Date(), nullable=True))
    op.add_column("section_teacher", sa.Column("sourced_id", sa.String(length=255), nullable=True))
    op.create_unique_constraint(op.f("uq_section_teacher_sourced_id"), "section_teacher", ["sourced_id"])
    op.add_column("strand_result", sa.Column("points", sa.Double(), nullable=True))
    op.add_column("strand_result", sa.Column("points_possible", sa.Double(), nullable=True))
    op.alter_column("strand_result", "score", existing_type=sa.Double(), nullable=True)
    op.add_column("student", sa.Column("sourced_id", sa.String(length=255), nullable=True))
    op.create_unique_constraint(op.f("uq_student_sourced_id"), "student", ["sourced_id"])
    op.add_column("window", sa.Column("sourced_id", sa.String(length=255), nullable=True))
    op.create_unique_constraint(op.f("uq_window_sourced_id"), "window", ["sourced_id"])


def downgrade() -> None:
    """Take the tables down."""
    op.drop_constraint(op.f("uq_window_sourced_id"), "window", type_="unique")
    op.drop_column("window", "sourced_id")
    op.drop_constraint(op.f("uq_student_sourced_id"), "student", type_="unique")
    op.drop_column("student", "sourced_id")
    # A strand that only has points has no place in the older table.
    op.execute("DELETE FROM strand_result WHERE score IS NULL")
    op.alter_column("strand_result", "score", existing_type=sa.Double(), nullable=False)
    op.drop_column("strand_result", "points_possible")
    op.drop_column("strand_result", "points")
    op.drop_constraint(op.f("uq_section_teacher_sourced_id"), "section_teacher", type_="unique")
    op.drop_column("section_teacher", "sourced_id")
    op.drop_column("section_teacher", "last_day")
    op.drop_column("section_teacher", "first_day")
    op.drop_constraint(op.f("fk_section_course_id"), "section", type_="foreignkey")
    op.drop_constraint(op.f("uq_section_sourced_id"), "section", type_="unique")
    op.drop_column("section", "sourced_id")
    op.drop_column("section", "course_id")
    op.drop_column("section", "kind")
    op.drop_constraint(op.f("uq_school_year_sourced_id"), "school_year", type_="unique")
    op.drop_column("school_year", "sourced_id")
    op.drop_constraint(op.f("uq_school_sourced_id"), "school", type_="unique")
    op.drop_column("school", "sourced_id")
    op.drop_constraint(op.f("uq_person_sourced_id"), "person", type_="unique")
    op.drop_column("person", "sourced_id")
    op.drop_constraint(op.f("fk_group_member_import_id"), "group_member", type_="foreignkey")
    op.drop_index(op.f("ix_group_member_import_id"), table_name="group_member")
    op.drop_column("group_member", "import_id")
    op.drop_constraint(op.f("fk_group_import_id"), "group", type_="foreignkey")
    op.drop_index(op.f("ix_group_import_id"), table_name="group")
    op.drop_column("group", "import_id")
    op.drop_column("group", "exit_rule")
    op.drop_column("group", "entry_rule")
    op.drop_column("group", "minutes")
    op.drop_column("group", "times_a_week")
    op.drop_column("group", "tier")
    op.drop_constraint(op.f("uq_enrolment_sourced_id"), "enrolment", type_="unique")
    op.drop_column("enrolment", "sourced_id")
    op.drop_constraint(op.f("fk_closure_import_id"), "closure", type_="foreignkey")
    op.drop_index(op.f("ix_closure_import_id"), table_name="closure")
    op.drop_column("closure", "import_id")
    op.drop_column("assessment", "norm_group")
    op.drop_table("result_scale")
    op.drop_table("attendance")
    op.drop_table("teaching_calendar")
    op.drop_table("session")
    op.drop_table("note")
    op.drop_table("not_tested")
    op.drop_table("mastery_entry")
    op.drop_table("goal")
    op.drop_table("course_grade")
    op.drop_table("student_field")
    op.drop_table("prerequisite")
    op.drop_table("practice_entry")
    op.drop_table("marking_period")
    op.drop_table("link")
    op.drop_table("identifier")
    op.drop_table("entitlement")
    op.drop_table("course")
    op.drop_table("answer")
    op.drop_table("absence")
    op.drop_table("standard")
    op.drop_table("item")
    op.drop_table("field")
    op.drop_table("roster_source")
