import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Append only: a migration that has landed is never changed. */
class Initial1764030000000 implements MigrationInterface {
  name = 'Initial1764030000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query(`
      CREATE TABLE piece (
        id uuid PRIMARY KEY DEFAULT gen_random_uuid(), name text NOT NULL, note text NOT NULL DEFAULT '', state_id uuid,
        redo uuid[] NOT NULL DEFAULT '{}', created_at timestamptz NOT NULL DEFAULT now(), updated_at timestamptz NOT NULL DEFAULT now());
      CREATE TABLE scan (
        id uuid PRIMARY KEY DEFAULT gen_random_uuid(), piece_id uuid NOT NULL REFERENCES piece ON DELETE CASCADE,
        name text NOT NULL, setup text NOT NULL, color_index int NOT NULL, frames int NOT NULL, original_id uuid NOT NULL, frames_id uuid);
      CREATE INDEX scan_piece ON scan (piece_id);
      CREATE TABLE piece_state (
        id uuid PRIMARY KEY DEFAULT gen_random_uuid(), piece_id uuid NOT NULL REFERENCES piece ON DELETE CASCADE,
        parent_id uuid, step_id uuid, heads jsonb NOT NULL, created_at timestamptz NOT NULL DEFAULT now());
      CREATE INDEX piece_state_piece ON piece_state (piece_id);
      CREATE TABLE blob (sha256 text PRIMARY KEY, bytes bigint NOT NULL);
      CREATE TABLE blob_chunk (
        sha256 text NOT NULL REFERENCES blob ON DELETE CASCADE, position int NOT NULL, data bytea NOT NULL, PRIMARY KEY (sha256, position));
      ALTER TABLE blob_chunk ALTER COLUMN data SET STORAGE EXTERNAL;
      CREATE TABLE artifact (
        id uuid PRIMARY KEY DEFAULT gen_random_uuid(), piece_id uuid NOT NULL REFERENCES piece ON DELETE CASCADE, kind text NOT NULL,
        blob_sha256 text NOT NULL REFERENCES blob, facts jsonb NOT NULL, step_id uuid, created_at timestamptz NOT NULL DEFAULT now());
      CREATE INDEX artifact_piece ON artifact (piece_id);
      CREATE TABLE step (
        id uuid PRIMARY KEY DEFAULT gen_random_uuid(), piece_id uuid NOT NULL REFERENCES piece ON DELETE CASCADE,
        operation_id text NOT NULL, operation_version int NOT NULL, params json NOT NULL, seed int NOT NULL, status text NOT NULL,
        cancel_requested boolean NOT NULL DEFAULT false, progress real NOT NULL DEFAULT 0, progress_stage text NOT NULL DEFAULT '',
        inputs uuid[] NOT NULL DEFAULT '{}', outputs uuid[] NOT NULL DEFAULT '{}',
        source_sha256 text, source_name text, source_setup text,
        figures json, summary text, notes jsonb NOT NULL DEFAULT '[]', error text, attempt int NOT NULL DEFAULT 0, worker text,
        heartbeat timestamptz, created_at timestamptz NOT NULL DEFAULT now(), started_at timestamptz, finished_at timestamptz);
      CREATE INDEX step_piece ON step (piece_id, created_at);
      CREATE INDEX step_open ON step (status) WHERE status IN ('queued', 'running');
    `);
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('DROP TABLE step, artifact, blob_chunk, blob, piece_state, scan, piece');
  }
}

class Captures1764070000000 implements MigrationInterface {
  name = 'Captures1764070000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query(`
      ALTER TABLE piece ADD COLUMN plan jsonb;
      CREATE TABLE capture (
        id uuid PRIMARY KEY DEFAULT gen_random_uuid(), piece_id uuid NOT NULL REFERENCES piece ON DELETE CASCADE,
        name text NOT NULL, setup text NOT NULL, device_id text NOT NULL, settings jsonb NOT NULL, status text NOT NULL DEFAULT 'open',
        step_id uuid, created_at timestamptz NOT NULL DEFAULT now(), updated_at timestamptz NOT NULL DEFAULT now());
      CREATE INDEX capture_piece ON capture (piece_id, created_at);
      CREATE TABLE capture_frame (
        capture_id uuid NOT NULL REFERENCES capture ON DELETE CASCADE, sequence int NOT NULL, data bytea NOT NULL,
        taken_back boolean NOT NULL DEFAULT false, created_at timestamptz NOT NULL DEFAULT now(), PRIMARY KEY (capture_id, sequence));
      ALTER TABLE capture_frame ALTER COLUMN data SET STORAGE EXTERNAL;
    `);
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('DROP TABLE capture_frame, capture; ALTER TABLE piece DROP COLUMN plan');
  }
}

class CapturesOfPictures1764150000000 implements MigrationInterface {
  name = 'CapturesOfPictures1764150000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query(`ALTER TABLE capture ADD COLUMN holds text NOT NULL DEFAULT 'frames'`);
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('ALTER TABLE capture DROP COLUMN holds');
  }
}

class RememberedSelections1764170000000 implements MigrationInterface {
  name = 'RememberedSelections1764170000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query(`
      CREATE TABLE remembered_selection (
        piece_id uuid NOT NULL REFERENCES piece ON DELETE CASCADE, name text NOT NULL, data bytea NOT NULL,
        created_at timestamptz NOT NULL DEFAULT now(), PRIMARY KEY (piece_id, name));
    `);
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('DROP TABLE remembered_selection');
  }
}

class StepsOnce1764400000000 implements MigrationInterface {
  name = 'StepsOnce1764400000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query(`
      ALTER TABLE step ADD COLUMN after uuid[] NOT NULL DEFAULT '{}', ADD COLUMN upload_id text UNIQUE;
      CREATE INDEX step_source ON step (source_sha256) WHERE source_sha256 IS NOT NULL;
      CREATE INDEX artifact_blob ON artifact (blob_sha256);
    `);
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('DROP INDEX step_source, artifact_blob; ALTER TABLE step DROP COLUMN after, DROP COLUMN upload_id');
  }
}

/** Steps asked for in one transaction have one time; their number tells which came first. */
class StepsNumbered1764420000000 implements MigrationInterface {
  name = 'StepsNumbered1764420000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query(`
      ALTER TABLE step ADD COLUMN number int;
      UPDATE step SET number = n.number FROM (SELECT id, row_number() OVER (ORDER BY created_at, id) AS number FROM step) n
        WHERE n.id = step.id;
      ALTER TABLE step ALTER COLUMN number SET NOT NULL, ALTER COLUMN number ADD GENERATED BY DEFAULT AS IDENTITY;
      SELECT setval(pg_get_serial_sequence('step', 'number'), COALESCE((SELECT max(number) FROM step), 0) + 1, false);
      DROP INDEX step_piece;
      CREATE UNIQUE INDEX step_piece ON step (piece_id, number);
    `);
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('DROP INDEX step_piece; ALTER TABLE step DROP COLUMN number');
    await q.query('CREATE INDEX step_piece ON step (piece_id, created_at)');
  }
}

class GuidedRuns1764520000000 implements MigrationInterface {
  name = 'GuidedRuns1764520000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query(`
      CREATE TABLE guided_run (
        piece_id uuid PRIMARY KEY REFERENCES piece ON DELETE CASCADE, answers jsonb NOT NULL, recipe jsonb,
        decided jsonb NOT NULL DEFAULT '{}', left_out text[] NOT NULL DEFAULT '{}', paused boolean NOT NULL DEFAULT false,
        steps uuid[] NOT NULL DEFAULT '{}', since_number int NOT NULL DEFAULT 0,
        created_at timestamptz NOT NULL DEFAULT now(), updated_at timestamptz NOT NULL DEFAULT now());
      CREATE INDEX guided_run_open ON guided_run (piece_id) WHERE NOT paused;
    `);
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('DROP TABLE guided_run');
  }
}

/** Pieces can be put away before they are removed. */
class PiecesAway1764540000000 implements MigrationInterface {
  name = 'PiecesAway1764540000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query('ALTER TABLE piece ADD COLUMN away_at timestamptz');
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('ALTER TABLE piece DROP COLUMN away_at');
  }
}

/** Links under which pieces can be looked at. */
class SharedViews1764550000000 implements MigrationInterface {
  name = 'SharedViews1764550000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query(`
      CREATE TABLE shared_view (
        id uuid PRIMARY KEY DEFAULT gen_random_uuid(), piece_id uuid NOT NULL REFERENCES piece ON DELETE CASCADE,
        token text NOT NULL UNIQUE, name text NOT NULL, note text NOT NULL DEFAULT '', heads jsonb NOT NULL,
        looks text[] NOT NULL, measuring boolean NOT NULL, dimensions boolean NOT NULL, files uuid[] NOT NULL,
        password_hash text, pass_key text, ends_at timestamptz, opened int NOT NULL DEFAULT 0, last_opened_at timestamptz,
        created_at timestamptz NOT NULL DEFAULT now());
      CREATE INDEX shared_view_piece ON shared_view (piece_id);
    `);
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('DROP TABLE shared_view');
  }
}

/** People with accounts, whose pieces are whose, and who asked for a step. */
class Accounts1764560000000 implements MigrationInterface {
  name = 'Accounts1764560000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query(`
      CREATE TABLE person (
        id uuid PRIMARY KEY DEFAULT gen_random_uuid(), name text NOT NULL, role text NOT NULL, password_hash text NOT NULL,
        ended_at timestamptz, created_at timestamptz NOT NULL DEFAULT now());
      CREATE UNIQUE INDEX person_name ON person (lower(name));
      CREATE TABLE session (
        token_hash text PRIMARY KEY, person_id uuid NOT NULL REFERENCES person ON DELETE CASCADE,
        seen_at timestamptz NOT NULL DEFAULT now(), ends_at timestamptz NOT NULL);
      CREATE INDEX session_person ON session (person_id);
      CREATE TABLE invitation (
        id uuid PRIMARY KEY DEFAULT gen_random_uuid(), token_hash text NOT NULL UNIQUE, role text NOT NULL,
        person_id uuid REFERENCES person ON DELETE CASCADE, by text, ends_at timestamptz NOT NULL);
      ALTER TABLE piece ADD COLUMN owner_id uuid REFERENCES person;
      ALTER TABLE step ADD COLUMN by text;
      ALTER TABLE guided_run ADD COLUMN by text;
    `);
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query(`
      ALTER TABLE guided_run DROP COLUMN by; ALTER TABLE step DROP COLUMN by; ALTER TABLE piece DROP COLUMN owner_id;
      DROP TABLE invitation; DROP TABLE session; DROP TABLE person`);
  }
}

/** What people remark on pieces. */
class Remarks1764570000000 implements MigrationInterface {
  name = 'Remarks1764570000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query(`
      CREATE TABLE remark (
        id uuid PRIMARY KEY DEFAULT gen_random_uuid(), piece_id uuid NOT NULL REFERENCES piece ON DELETE CASCADE,
        person_id uuid REFERENCES person, by text, text text NOT NULL, place double precision[], mesh_id uuid,
        step_id uuid REFERENCES step ON DELETE SET NULL, done_at timestamptz, done_by text,
        created_at timestamptz NOT NULL DEFAULT now());
      CREATE INDEX remark_piece ON remark (piece_id);
    `);
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('DROP TABLE remark');
  }
}

export const MIGRATIONS = [
  Initial1764030000000,
  Captures1764070000000,
  CapturesOfPictures1764150000000,
  RememberedSelections1764170000000,
  StepsOnce1764400000000,
  StepsNumbered1764420000000,
  GuidedRuns1764520000000,
  PiecesAway1764540000000,
  SharedViews1764550000000,
  Accounts1764560000000,
  Remarks1764570000000,
];
