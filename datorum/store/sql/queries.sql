-- Every statement that is not put together by SQLAlchemy, under its name:
--     -- name --
--     -- what it is for
--     the statement, its parameters as :name

-- claim --
-- Marks the next rows of a plan as being sent, and gives them.
UPDATE plan_row SET state = 'sending', attempts = attempts + 1
WHERE plan_id = :plan AND row IN (
    SELECT row FROM plan_row WHERE plan_id = :plan AND state = 'pending' AND wave = :wave
    ORDER BY row LIMIT :count
)
RETURNING row, action, key, record_id, etag, changes, record_type, of_row;

-- open_waves --
-- The waves of a plan of which anything is still to be sent, or on its way, in order.
SELECT DISTINCT wave FROM plan_row WHERE plan_id = :plan AND state IN ('pending', 'sending') ORDER BY wave;

-- record_ids --
-- The records on the site of some rows of a plan, where they have one.
SELECT row, record_id FROM plan_row
WHERE plan_id = :plan AND row = ANY(:rows) AND record_id IS NOT NULL AND (state IN ('done', 'none') OR action = 'update');

-- keep_changes --
-- Keeps what some rows are sent with, now that the records are known that they mean.
UPDATE plan_row SET changes = s.changes, record_id = coalesce(s.record_id, plan_row.record_id)
FROM unnest(cast(:rows AS bigint[]), cast(:changes AS jsonb[]), cast(:records AS text[])) AS s (row, changes, record_id)
WHERE plan_row.plan_id = :plan AND plan_row.row = s.row;

-- put_in_wave --
-- Has a row be sent with those of a wave.
UPDATE plan_row SET wave = :w WHERE plan_id = :plan AND row = :r;

-- hold_row --
-- Holds a row that was to be sent.
UPDATE plan_row SET action = 'held', state = 'none', reason = :reason, changes = '{}'
WHERE plan_id = :plan AND row = :row;

-- in_doubt --
-- The rows of a plan that were being sent when a worker ended.
SELECT row, action, key, record_id, etag, changes, record_type, of_row FROM plan_row
WHERE plan_id = :plan AND state = 'sending' ORDER BY row;

-- settle --
-- Keeps what became of some rows of a plan.
UPDATE plan_row SET state = s.state, record_id = coalesce(s.record_id, plan_row.record_id), etag = s.etag,
    page = coalesce(s.page, plan_row.page), status = s.status, message = s.message, ended_at = :at
FROM unnest(
    cast(:rows AS bigint[]), cast(:states AS text[]), cast(:records AS text[]), cast(:etags AS text[]),
    cast(:pages AS text[]), cast(:statuses AS integer[]), cast(:messages AS text[])
) AS s (row, state, record_id, etag, page, status, message)
WHERE plan_row.plan_id = :plan AND plan_row.row = s.row;

-- count_settled --
-- Counts on the run of a plan what became of more of its rows.
UPDATE run SET done = done + :done, failed = failed + :failed WHERE plan_id = :plan;

-- take_run --
-- Whether this connection alone has a run from now on.
SELECT pg_try_advisory_lock(:space, :run);

-- let_go_of_run --
SELECT pg_advisory_unlock(:space, :run);

-- still_there --
SELECT 1;

-- state_of_import --
-- Another answer as soon as anything has changed that the stations show of an import: of each row the transaction that
-- wrote it last.
SELECT
    (SELECT concat_ws(' ', i.xmin, s.xmin) FROM import i JOIN site s ON s.id = i.site_id WHERE i.id = :import),
    (SELECT string_agg(concat_ws(' ', sheet_id, role), ',' ORDER BY role) FROM drawn_sheet WHERE import_id = :import),
    (SELECT concat_ws(' ', version, xmin) FROM mapping_version WHERE import_id = :import ORDER BY version DESC LIMIT 1),
    (SELECT concat_ws(' ', id, xmin) FROM check_result WHERE import_id = :import ORDER BY id DESC LIMIT 1),
    (SELECT concat_ws(' ', state, xmin) FROM checking WHERE import_id = :import),
    (SELECT string_agg(concat_ws(' ', r.id, r.xmin), ',' ORDER BY r.id)
        FROM site_rule r JOIN import i ON i.site_id = r.site_id WHERE i.id = :import),
    (SELECT string_agg(concat_ws(' ', s.id, s.state, s.as_of), ',' ORDER BY s.id)
        FROM snapshot s JOIN import i ON i.site_id = s.site_id WHERE i.id = :import),
    (SELECT string_agg(concat_ws(' ', r.id, r.state, r.ended_at), ',' ORDER BY r.id) FROM run r
        JOIN plan p ON p.id = r.plan_id JOIN import o ON o.id = p.import_id
        JOIN import i ON i.site_id = o.site_id AND i.id <> o.id WHERE i.id = :import),
    (SELECT string_agg(concat_ws(' ', o.id, o.revision, o.archived_at), ',' ORDER BY o.id)
        FROM import o JOIN import i ON i.site_id = o.site_id WHERE i.id = :import),
    (SELECT concat_ws(' ', count(*), max(id)) FROM acceptance WHERE import_id = :import),
    (SELECT concat_ws(' ', p.id, p.xmin, p.state, r.xmin, r.state)
        FROM plan p LEFT JOIN run r ON r.plan_id = p.id WHERE p.import_id = :import ORDER BY p.id DESC LIMIT 1),
    (SELECT concat_ws(' ', v.id, v.xmin) FROM verification v JOIN run r ON r.id = v.run_id
        JOIN plan p ON p.id = r.plan_id WHERE p.import_id = :import ORDER BY v.id DESC LIMIT 1),
    current_date;
