"""The first tables."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables up."""
    op.create_table(
        "closure",
        sa.Column("name", sa.String(length=160), nullable=False),
        sa.Column("first_day", sa.Date(), nullable=False),
        sa.Column("last_day", sa.Date(), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_closure")),
    )
    op.create_table(
        "district",
        sa.Column("name", sa.String(length=160), nullable=False),
        sa.Column("data_version", sa.BigInteger(), nullable=False),
        sa.Column("score_version", sa.BigInteger(), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_district")),
    )
    op.create_table(
        "import",
        sa.Column("file", sa.String(length=160), nullable=False),
        sa.Column("sha256", sa.String(length=64), nullable=False),
        sa.Column("kind", sa.String(length=32), nullable=False),
        sa.Column("counts", sa.JSON(), nullable=False),
        sa.Column("by_id", sa.BigInteger(), nullable=True),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("state", sa.String(length=16), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.ForeignKeyConstraint(["by_id"], ["person.id"], name=op.f("fk_import_by_id"), use_alter=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_import")),
    )
    op.create_table(
        "assessment",
        sa.Column("name", sa.String(length=160), nullable=False),
        sa.Column("subject", sa.String(length=64), nullable=False),
        sa.Column("kind", sa.String(length=24), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_assessment_import_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_assessment")),
        sa.UniqueConstraint("name", "subject", name=op.f("uq_assessment_name_subject")),
    )
    op.create_index(op.f("ix_assessment_import_id"), "assessment", ["import_id"], unique=False)
    op.create_table(
        "import_change",
        sa.Column("import_id", sa.BigInteger(), nullable=False),
        sa.Column("table", sa.String(length=64), nullable=False),
        sa.Column("row_id", sa.BigInteger(), nullable=False),
        sa.Column("act", sa.String(length=16), nullable=False),
        sa.Column("before", sa.JSON(), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_import_change_import_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_import_change")),
    )
    op.create_table(
        "program",
        sa.Column("name", sa.String(length=160), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_program_import_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_program")),
        sa.UniqueConstraint("name", name=op.f("uq_program_name")),
    )
    op.create_index(op.f("ix_program_import_id"), "program", ["import_id"], unique=False)
    op.create_table(
        "school",
        sa.Column("name", sa.String(length=160), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_school_import_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_school")),
        sa.UniqueConstraint("name", name=op.f("uq_school_name")),
    )
    op.create_index(op.f("ix_school_import_id"), "school", ["import_id"], unique=False)
    op.create_table(
        "school_year",
        sa.Column("name", sa.String(length=64), nullable=False),
        sa.Column("first_day", sa.Date(), nullable=True),
        sa.Column("last_day", sa.Date(), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_school_year_import_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_school_year")),
        sa.UniqueConstraint("name", name=op.f("uq_school_year_name")),
    )
    op.create_index(op.f("ix_school_year_import_id"), "school_year", ["import_id"], unique=False)
    op.create_table(
        "student",
        sa.Column("student_id", sa.String(length=64), nullable=False),
        sa.Column("given_name", sa.String(length=160), nullable=True),
        sa.Column("family_name", sa.String(length=160), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_student_import_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_student")),
        sa.UniqueConstraint("student_id", name=op.f("uq_student_student_id")),
    )
    op.create_index(op.f("ix_student_import_id"), "student", ["import_id"], unique=False)
    op.create_table(
        "cut",
        sa.Column("assessment_id", sa.BigInteger(), nullable=False),
        sa.Column("grade", sa.String(length=8), nullable=False),
        sa.Column("season", sa.String(length=8), nullable=True),
        sa.Column("purpose", sa.String(length=16), nullable=False),
        sa.Column("order", sa.Integer(), nullable=False),
        sa.Column("band", sa.String(length=160), nullable=False),
        sa.Column("min_score", sa.Double(), nullable=True),
        sa.Column("min_percentile", sa.Double(), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["assessment_id"], ["assessment.id"], name=op.f("fk_cut_assessment_id")),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_cut_import_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_cut")),
    )
    op.create_index(op.f("ix_cut_import_id"), "cut", ["import_id"], unique=False)
    op.create_table(
        "growth_norm",
        sa.Column("assessment_id", sa.BigInteger(), nullable=False),
        sa.Column("grade", sa.String(length=8), nullable=False),
        sa.Column("from_season", sa.String(length=8), nullable=False),
        sa.Column("to_season", sa.String(length=8), nullable=False),
        sa.Column("correlation", sa.Double(), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["assessment_id"], ["assessment.id"], name=op.f("fk_growth_norm_assessment_id")),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_growth_norm_import_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_growth_norm")),
        sa.UniqueConstraint(
            "assessment_id",
            "grade",
            "from_season",
            "to_season",
            name=op.f("uq_growth_norm_assessment_id_grade_from_season_to_season"),
        ),
    )
    op.create_index(op.f("ix_growth_norm_import_id"), "growth_norm", ["import_id"], unique=False)
    op.create_table(
        "norm",
        sa.Column("assessment_id", sa.BigInteger(), nullable=False),
        sa.Column("strand", sa.String(length=160), nullable=True),
        sa.Column("grade", sa.String(length=8), nullable=False),
        sa.Column("season", sa.String(length=8), nullable=False),
        sa.Column("week", sa.Double(), nullable=True),
        sa.Column("mean", sa.Double(), nullable=False),
        sa.Column("sd", sa.Double(), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["assessment_id"], ["assessment.id"], name=op.f("fk_norm_assessment_id")),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_norm_import_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_norm")),
    )
    op.create_index(op.f("ix_norm_import_id"), "norm", ["import_id"], unique=False)
    op.create_table(
        "person",
        sa.Column("name", sa.String(length=160), nullable=False),
        sa.Column("role", sa.String(length=20), nullable=False),
        sa.Column("login", sa.String(length=64), nullable=True),
        sa.Column("password_hash", sa.String(length=255), nullable=True),
        sa.Column("school_id", sa.BigInteger(), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_person_import_id")),
        sa.ForeignKeyConstraint(["school_id"], ["school.id"], name=op.f("fk_person_school_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_person")),
        sa.UniqueConstraint("login", name=op.f("uq_person_login")),
    )
    op.create_index(op.f("ix_person_import_id"), "person", ["import_id"], unique=False)
    op.create_index(op.f("ix_person_name"), "person", ["name"], unique=False)
    op.create_table(
        "section",
        sa.Column("school_year_id", sa.BigInteger(), nullable=False),
        sa.Column("school_id", sa.BigInteger(), nullable=True),
        sa.Column("name", sa.String(length=160), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_section_import_id")),
        sa.ForeignKeyConstraint(["school_id"], ["school.id"], name=op.f("fk_section_school_id")),
        sa.ForeignKeyConstraint(["school_year_id"], ["school_year.id"], name=op.f("fk_section_school_year_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_section")),
        sa.UniqueConstraint(
            "school_year_id", "school_id", "name", name=op.f("uq_section_school_year_id_school_id_name")
        ),
    )
    op.create_index(op.f("ix_section_import_id"), "section", ["import_id"], unique=False)
    op.create_table(
        "strand",
        sa.Column("assessment_id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.String(length=160), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["assessment_id"], ["assessment.id"], name=op.f("fk_strand_assessment_id")),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_strand_import_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_strand")),
        sa.UniqueConstraint("assessment_id", "name", name=op.f("uq_strand_assessment_id_name")),
    )
    op.create_index(op.f("ix_strand_import_id"), "strand", ["import_id"], unique=False)
    op.create_table(
        "student_program",
        sa.Column("student_id", sa.BigInteger(), nullable=False),
        sa.Column("program_id", sa.BigInteger(), nullable=False),
        sa.Column("first_day", sa.Date(), nullable=True),
        sa.Column("last_day", sa.Date(), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_student_program_import_id")),
        sa.ForeignKeyConstraint(["program_id"], ["program.id"], name=op.f("fk_student_program_program_id")),
        sa.ForeignKeyConstraint(["student_id"], ["student.id"], name=op.f("fk_student_program_student_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_student_program")),
        sa.UniqueConstraint(
            "student_id", "program_id", "first_day", name=op.f("uq_student_program_student_id_program_id_first_day")
        ),
    )
    op.create_index(op.f("ix_student_program_import_id"), "student_program", ["import_id"], unique=False)
    op.create_table(
        "student_year",
        sa.Column("student_id", sa.BigInteger(), nullable=False),
        sa.Column("school_year_id", sa.BigInteger(), nullable=False),
        sa.Column("school_id", sa.BigInteger(), nullable=True),
        sa.Column("grade", sa.String(length=8), nullable=True),
        sa.Column("home_language", sa.String(length=64), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_student_year_import_id")),
        sa.ForeignKeyConstraint(["school_id"], ["school.id"], name=op.f("fk_student_year_school_id")),
        sa.ForeignKeyConstraint(["school_year_id"], ["school_year.id"], name=op.f("fk_student_year_school_year_id")),
        sa.ForeignKeyConstraint(["student_id"], ["student.id"], name=op.f("fk_student_year_student_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_student_year")),
        sa.UniqueConstraint("student_id", "school_year_id", name=op.f("uq_student_year_student_id_school_year_id")),
    )
    op.create_index(op.f("ix_student_year_import_id"), "student_year", ["import_id"], unique=False)
    op.create_table(
        "window",
        sa.Column("school_year_id", sa.BigInteger(), nullable=False),
        sa.Column("season", sa.String(length=8), nullable=False),
        sa.Column("first_day", sa.Date(), nullable=True),
        sa.Column("last_day", sa.Date(), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_window_import_id")),
        sa.ForeignKeyConstraint(["school_year_id"], ["school_year.id"], name=op.f("fk_window_school_year_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_window")),
        sa.UniqueConstraint("school_year_id", "season", name=op.f("uq_window_school_year_id_season")),
    )
    op.create_index(op.f("ix_window_import_id"), "window", ["import_id"], unique=False)
    op.create_table(
        "assigned_grade",
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("school_id", sa.BigInteger(), nullable=False),
        sa.Column("grade", sa.String(length=8), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_assigned_grade_person_id")),
        sa.ForeignKeyConstraint(["school_id"], ["school.id"], name=op.f("fk_assigned_grade_school_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_assigned_grade")),
        sa.UniqueConstraint(
            "person_id", "school_id", "grade", name=op.f("uq_assigned_grade_person_id_school_id_grade")
        ),
    )
    op.create_table(
        "enrolment",
        sa.Column("student_id", sa.BigInteger(), nullable=False),
        sa.Column("section_id", sa.BigInteger(), nullable=False),
        sa.Column("first_day", sa.Date(), nullable=True),
        sa.Column("last_day", sa.Date(), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_enrolment_import_id")),
        sa.ForeignKeyConstraint(["section_id"], ["section.id"], name=op.f("fk_enrolment_section_id")),
        sa.ForeignKeyConstraint(["student_id"], ["student.id"], name=op.f("fk_enrolment_student_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_enrolment")),
        sa.UniqueConstraint(
            "student_id", "section_id", "first_day", name=op.f("uq_enrolment_student_id_section_id_first_day")
        ),
    )
    op.create_index(op.f("ix_enrolment_import_id"), "enrolment", ["import_id"], unique=False)
    op.create_table(
        "group",
        sa.Column("name", sa.String(length=160), nullable=False),
        sa.Column("focus", sa.String(length=255), nullable=False),
        sa.Column("assessment_id", sa.BigInteger(), nullable=True),
        sa.Column("adult_id", sa.BigInteger(), nullable=True),
        sa.Column("first_day", sa.Date(), nullable=False),
        sa.Column("last_day", sa.Date(), nullable=False),
        sa.Column("made_by_id", sa.BigInteger(), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.ForeignKeyConstraint(["adult_id"], ["person.id"], name=op.f("fk_group_adult_id")),
        sa.ForeignKeyConstraint(["assessment_id"], ["assessment.id"], name=op.f("fk_group_assessment_id")),
        sa.ForeignKeyConstraint(["made_by_id"], ["person.id"], name=op.f("fk_group_made_by_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_group")),
        sa.UniqueConstraint("name", name=op.f("uq_group_name")),
    )
    op.create_table(
        "result",
        sa.Column("student_id", sa.BigInteger(), nullable=False),
        sa.Column("assessment_id", sa.BigInteger(), nullable=False),
        sa.Column("window_id", sa.BigInteger(), nullable=True),
        sa.Column("tested_on", sa.Date(), nullable=True),
        sa.Column("grade", sa.String(length=8), nullable=True),
        sa.Column("school_id", sa.BigInteger(), nullable=True),
        sa.Column("section_id", sa.BigInteger(), nullable=True),
        sa.Column("teacher_id", sa.BigInteger(), nullable=True),
        sa.Column("programs", sa.String(length=255), nullable=True),
        sa.Column("language", sa.String(length=64), nullable=True),
        sa.Column("score", sa.Double(), nullable=False),
        sa.Column("standard_error", sa.Double(), nullable=True),
        sa.Column("percentile", sa.Double(), nullable=True),
        sa.Column("percentile_basis", sa.String(length=160), nullable=True),
        sa.Column("minutes", sa.Double(), nullable=True),
        sa.Column("items_tried", sa.Integer(), nullable=True),
        sa.Column("items_right", sa.Integer(), nullable=True),
        sa.Column("points", sa.Double(), nullable=True),
        sa.Column("points_possible", sa.Double(), nullable=True),
        sa.Column("accommodations", sa.String(length=255), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["assessment_id"], ["assessment.id"], name=op.f("fk_result_assessment_id")),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_result_import_id")),
        sa.ForeignKeyConstraint(["school_id"], ["school.id"], name=op.f("fk_result_school_id")),
        sa.ForeignKeyConstraint(["section_id"], ["section.id"], name=op.f("fk_result_section_id")),
        sa.ForeignKeyConstraint(["student_id"], ["student.id"], name=op.f("fk_result_student_id")),
        sa.ForeignKeyConstraint(["teacher_id"], ["person.id"], name=op.f("fk_result_teacher_id")),
        sa.ForeignKeyConstraint(["window_id"], ["window.id"], name=op.f("fk_result_window_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_result")),
    )
    op.create_index(op.f("ix_result_import_id"), "result", ["import_id"], unique=False)
    op.create_index("ix_result_measure", "result", ["assessment_id", "window_id", "student_id"], unique=False)
    op.create_table(
        "section_teacher",
        sa.Column("section_id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_section_teacher_import_id")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_section_teacher_person_id")),
        sa.ForeignKeyConstraint(["section_id"], ["section.id"], name=op.f("fk_section_teacher_section_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_section_teacher")),
        sa.UniqueConstraint("section_id", "person_id", name=op.f("uq_section_teacher_section_id_person_id")),
    )
    op.create_index(op.f("ix_section_teacher_import_id"), "section_teacher", ["import_id"], unique=False)
    op.create_table(
        "group_member",
        sa.Column("group_id", sa.BigInteger(), nullable=False),
        sa.Column("student_id", sa.BigInteger(), nullable=False),
        sa.Column("first_day", sa.Date(), nullable=False),
        sa.Column("last_day", sa.Date(), nullable=True),
        sa.Column("reason", sa.String(length=255), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.ForeignKeyConstraint(["group_id"], ["group.id"], name=op.f("fk_group_member_group_id")),
        sa.ForeignKeyConstraint(["student_id"], ["student.id"], name=op.f("fk_group_member_student_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_group_member")),
        sa.UniqueConstraint(
            "group_id", "student_id", "first_day", name=op.f("uq_group_member_group_id_student_id_first_day")
        ),
    )
    op.create_table(
        "strand_result",
        sa.Column("result_id", sa.BigInteger(), nullable=False),
        sa.Column("strand_id", sa.BigInteger(), nullable=False),
        sa.Column("score", sa.Double(), nullable=False),
        sa.Column("standard_error", sa.Double(), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_strand_result_import_id")),
        sa.ForeignKeyConstraint(["result_id"], ["result.id"], name=op.f("fk_strand_result_result_id")),
        sa.ForeignKeyConstraint(["strand_id"], ["strand.id"], name=op.f("fk_strand_result_strand_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_strand_result")),
        sa.UniqueConstraint("result_id", "strand_id", name=op.f("uq_strand_result_result_id_strand_id")),
    )
    op.create_index(op.f("ix_strand_result_import_id"), "strand_result", ["import_id"], unique=False)
    op.create_foreign_key(op.f("fk_import_by_id"), "import", "person", ["by_id"], ["id"])


def downgrade() -> None:
    """Take it back."""
    op.drop_constraint(op.f("fk_import_by_id"), "import", type_="foreignkey")
    op.drop_table("strand_result")
    op.drop_table("group_member")
    op.drop_table("section_teacher")
    op.drop_table("result")
    op.drop_table("group")
    op.drop_table("enrolment")
    op.drop_table("assigned_grade")
    op.drop_table("window")
    op.drop_table("student_year")
    op.drop_table("student_program")
    op.drop_table("strand")
    op.drop_table("section")
    op.drop_table("person")
    op.drop_table("norm")
    op.drop_table("growth_norm")
    op.drop_table("cut")
    op.drop_table("student")
    op.drop_table("school_year")
    op.drop_table("school")
    op.drop_table("program")
    op.drop_table("import_change")
    op.drop_table("assessment")
    op.drop_table("import")
    op.drop_table("district")
    op.drop_table("closure")
