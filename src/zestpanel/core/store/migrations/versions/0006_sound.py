"""How much sound each request brought: plans that bill by the minute are counted from it."""

from alembic import op

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    op.execute("ALTER TABLE requests ADD COLUMN sound_s FLOAT")
    op.execute("UPDATE requests SET sound_s = (SELECT duration_s FROM takes WHERE takes.request_id = requests.id)")
