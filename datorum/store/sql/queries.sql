-- Every statement that is not put together by SQLAlchemy, under its name:
--     -- name --
--     -- what it is for
--     the statement, its parameters as :name

-- claim --
-- Marks the next items of a plan as being sent in a turn of a run, and gives them.
UPDATE plan_item SET state = 'sending', attempts = attempts + 1, run_id = :run, turn_id = :turn
WHERE plan_id = :plan AND item IN (
    SELECT item FROM plan_item WHERE plan_id = :plan AND state = 'pending' AND wave = :wave
    ORDER BY item LIMIT :count FOR UPDATE SKIP LOCKED
)
RETURNING item, chunk, record_id;

-- claim_part --
-- The same of a run that carries out a part of a plan only.
UPDATE plan_item SET state = 'sending', attempts = attempts + 1, turn_id = :turn
WHERE plan_id = :plan AND item IN (
    SELECT item FROM plan_item WHERE plan_id = :plan AND state = 'pending' AND wave = :wave AND run_id = :run
    ORDER BY item LIMIT :count FOR UPDATE SKIP LOCKED
)
RETURNING item, chunk, record_id;

-- count_part --
-- Counts what became of more of the items of a run for which the same is done.
UPDATE run_part SET done = done + :done, failed = failed + :failed
WHERE run_id = :run AND record_type = :record_type AND action = :action;

-- begin_parts --
-- What a run of all that is left of a plan is to do.
INSERT INTO run_part (run_id, record_type, action, total)
SELECT :run, record_type, action, count(*) FROM plan_item WHERE plan_id = :plan AND state = 'pending'
GROUP BY record_type, action;

-- begin_part --
-- The same of a run that carries out a part of a plan only.
INSERT INTO run_part (run_id, record_type, action, total)
SELECT :run, record_type, action, count(*) FROM plan_item
WHERE plan_id = :plan AND state = 'pending' AND run_id = :run GROUP BY record_type, action;

-- run_points --
-- How fast a run went, in so many seconds each: the requests answered in one, and how long they took.
SELECT of_turn.at, sum(rate) AS rate, sum(waited) / nullif(sum(answered), 0) AS response_ms
FROM (
    SELECT to_timestamp(floor(extract(epoch FROM at) / :each) * :each) AS at, sum(answered) / sum(seconds) AS rate,
        sum(answered) AS answered, sum(response_ms * answered) AS waited
    FROM run_point WHERE run_id = :run GROUP BY 1, turn_id
) AS of_turn
GROUP BY of_turn.at ORDER BY of_turn.at;

-- take_over --
-- Has a turn have the items that were being sent in one that is over.
UPDATE plan_item SET turn_id = :turn
WHERE plan_id = :plan AND item IN (
    SELECT i.item FROM plan_item i LEFT JOIN turn t ON t.id = i.turn_id
    WHERE i.plan_id = :plan AND i.state = 'sending' AND i.wave = :wave AND i.run_id = :run
        AND (t.id IS NULL OR t.lease_until < clock_timestamp())
    ORDER BY i.item LIMIT :count FOR UPDATE OF i SKIP LOCKED
)
RETURNING item, chunk, record_id;

-- open_wave --
-- The first wave of a plan of which anything is still to be sent, or on its way.
SELECT least(
    (SELECT wave FROM plan_item WHERE plan_id = :plan AND state = 'pending' ORDER BY wave LIMIT 1),
    (SELECT wave FROM plan_item WHERE plan_id = :plan AND state = 'sending' AND run_id = :run ORDER BY wave LIMIT 1)
);

-- open_wave_of_part --
-- The same of a run that carries out a part of a plan only.
SELECT min(wave) FROM plan_item WHERE plan_id = :plan AND run_id = :run AND state IN ('pending', 'sending');

-- record_ids --
-- The records on the site of some items of a plan, where they have one: those that other imports bring have theirs there.
SELECT item, record_id FROM plan_item
WHERE plan_id = :plan AND item = ANY(:items) AND record_id IS NOT NULL
    AND (state IN ('done', 'none') OR action <> 'create')
UNION ALL
SELECT a.item, i.record_id FROM awaited a
JOIN plan_item i ON i.item = a.of_item AND i.plan_id = (
    SELECT max(id) FROM plan WHERE import_id = a.import_id AND kind = 'main' AND frozen_at IS NOT NULL
)
WHERE a.plan_id = :plan AND a.item = ANY(:items) AND i.record_id IS NOT NULL
    AND (i.state IN ('done', 'none') OR i.action <> 'create') AND i.state <> 'undone';

-- record_ids_as_sent --
-- The records that some items of a plan had when they were sent, whatever became of them since, and in whichever run.
SELECT item, record_id FROM plan_item
WHERE plan_id = :plan AND item = ANY(:items) AND record_id IS NOT NULL
UNION ALL
SELECT a.item, (
    SELECT i.record_id FROM plan_item i JOIN plan p ON p.id = i.plan_id
    WHERE p.import_id = a.import_id AND p.kind = 'main' AND i.item = a.of_item AND i.record_id IS NOT NULL
        AND (i.ended_at IS NULL OR i.ended_at <= :at)
    ORDER BY p.id DESC LIMIT 1
) FROM awaited a WHERE a.plan_id = :plan AND a.item = ANY(:items);

-- settle --
-- Keeps what became of some items of a plan, as far as they are a turn's. PostgreSQL is not to reckon how many a turn has:
-- when it last counted no item was anybody's, and it would hold each that is by now to every outcome.
UPDATE plan_item SET state = s.state, record_id = coalesce(s.record_id, plan_item.record_id), etag = s.etag,
    page = coalesce(s.page, plan_item.page), status = s.status, message = s.message, took_ms = s.took_ms,
    ended_at = :at
FROM unnest(
    cast(:items AS bigint[]), cast(:states AS text[]), cast(:records AS text[]), cast(:etags AS text[]),
    cast(:pages AS text[]), cast(:statuses AS integer[]), cast(:messages AS text[]), cast(:took AS integer[])
) AS s (item, state, record_id, etag, page, status, message, took_ms)
WHERE plan_item.plan_id = :plan AND plan_item.item = s.item AND coalesce(plan_item.turn_id, 0) = :turn
RETURNING plan_item.record_type, plan_item.action, plan_item.state;

-- count_settled --
-- Counts on a run what became of more of its items.
UPDATE run SET done = done + :done, failed = failed + :failed WHERE id = :run;

-- begin_turn --
-- A new turn of a worker at a run.
INSERT INTO turn (run_id, site_id, lease_until)
VALUES (:run, :site, clock_timestamp() + make_interval(secs => :lease)) RETURNING id;

-- renew_turn --
-- Has a turn go on, with its share of what a site may be asked at a time. None where the turn was over.
UPDATE turn SET lease_until = clock_timestamp() + make_interval(secs => :lease), share = :share
WHERE id = :turn AND lease_until > clock_timestamp() RETURNING id;

-- tell_turn --
-- Writes how fast a turn goes.
UPDATE turn SET rate = :rate, response_ms = :response_ms WHERE id = :turn;

-- others_on_site --
-- The shares of the other turns at a site that are not over, one after the other, while nobody else changes any.
SELECT t.share FROM site s LEFT JOIN turn t ON t.site_id = s.id AND t.id <> :turn AND t.lease_until > clock_timestamp()
WHERE s.id = :site ORDER BY t.id FOR UPDATE OF s;

-- end_turn --
DELETE FROM turn WHERE id = :turn;

-- next_requests --
-- When the next requests to a site may begin, of which so many are taken at once.
INSERT INTO site_pace (site_id, next_at) VALUES (:site, clock_timestamp() + make_interval(secs => :each * :count))
ON CONFLICT (site_id) DO UPDATE
    SET next_at = greatest(site_pace.next_at, clock_timestamp()) + make_interval(secs => :each * :count)
RETURNING extract(epoch FROM next_at - clock_timestamp()) - :each * :count;

-- workers_alive --
-- How many workers have given a sign of life lately.
SELECT count(*) FROM procrastinate_workers WHERE last_heartbeat > now() - make_interval(secs => :seconds);

-- sending_in_turns --
-- How many items of a run are on their way in turns that are not over.
SELECT count(*) FROM plan_item i JOIN turn t ON t.id = i.turn_id
WHERE i.plan_id = :plan AND i.state = 'sending' AND i.run_id = :run AND t.lease_until > clock_timestamp();

-- alone_at_sealing --
-- Whether this transaction alone seals the audit log until it ends.
SELECT pg_try_advisory_xact_lock(3495, 1);

-- unsealed --
-- Entries of the audit log that have no seal, of transactions before which none is under way any more.
SELECT a.id FROM audit a LEFT JOIN audit_seal s ON s.audit_id = a.id
WHERE s.audit_id IS NULL AND a.id > coalesce((SELECT max(audit_id) - 100000 FROM audit_seal), 0)
    AND a.xmin::text::bigint < (pg_snapshot_xmin(pg_current_snapshot())::text::bigint & 4294967295)
ORDER BY a.id LIMIT :count;

-- states_of_imports --
-- Of some imports another answer as soon as anything has changed that the stations show of each, but for the figures of
-- work that goes on: of each row the transaction that wrote it last.
SELECT x.id,
    (SELECT concat_ws(' ', i.xmin, s.xmin) FROM import i JOIN site s ON s.id = i.site_id WHERE i.id = x.id),
    (SELECT string_agg(concat_ws(' ', sheet_id, role), ',' ORDER BY role) FROM drawn_sheet WHERE import_id = x.id),
    (SELECT concat_ws(' ', version, xmin) FROM mapping_version WHERE import_id = x.id ORDER BY version DESC LIMIT 1),
    (SELECT concat_ws(' ', id, xmin) FROM check_result WHERE import_id = x.id ORDER BY id DESC LIMIT 1),
    (SELECT string_agg(concat_ws(' ', kind, subject, state), ',' ORDER BY kind, subject)
        FROM work WHERE import_id = x.id),
    (SELECT string_agg(concat_ws(' ', r.id, r.xmin), ',' ORDER BY r.id) FROM site_rule r WHERE r.site_id = x.site_id),
    (SELECT string_agg(concat_ws(' ', s.id, s.as_of), ',' ORDER BY s.id) FROM snapshot s WHERE s.site_id = x.site_id),
    (SELECT string_agg(concat_ws(' ', r.id, r.state, r.ended_at), ',' ORDER BY r.id) FROM run r
        JOIN plan p ON p.id = r.plan_id JOIN import o ON o.id = p.import_id
        WHERE o.site_id = x.site_id AND o.id <> x.id),
    (SELECT string_agg(concat_ws(' ', o.id, o.revision, o.archived_at), ',' ORDER BY o.id)
        FROM import o WHERE o.site_id = x.site_id),
    (SELECT concat_ws(' ', count(*), max(id)) FROM acceptance WHERE import_id = x.id),
    (SELECT concat_ws(' ', count(*), max(f.id)) FROM named_file f
        WHERE f.import_id = x.id OR f.migration_id = x.migration_id),
    (SELECT string_agg(concat_ws(' ', p.id, p.xmin), ',' ORDER BY p.id) FROM plan p WHERE p.import_id = x.id),
    (SELECT string_agg(concat_ws(' ', r.id, r.state, r.error, r.ended_at), ',' ORDER BY r.id)
        FROM run r JOIN plan p ON p.id = r.plan_id WHERE p.import_id = x.id),
    (SELECT string_agg(concat_ws(' ', v.id, v.xmin), ',' ORDER BY v.id) FROM verification v
        JOIN run r ON r.id = v.run_id JOIN plan p ON p.id = r.plan_id WHERE p.import_id = x.id),
    current_date
FROM import x WHERE x.id = ANY(:imports);

-- links_of_imports --
-- Of some imports what their links, and how these fared, are worked out from.
SELECT x.id, x.description_id, x.record_type, x.xmin::text,
    (SELECT concat_ws(' ', version, xmin) FROM mapping_version WHERE import_id = x.id ORDER BY version DESC LIMIT 1),
    (SELECT concat_ws(' ', id, xmin) FROM check_result WHERE import_id = x.id ORDER BY id DESC LIMIT 1)
FROM import x WHERE x.id = ANY(:imports);

-- spread_records --
-- Some records that a run has left on its site, as far apart in the sheet as can be.
SELECT record_id, page FROM (
    SELECT record_id, page, row_number() OVER (ORDER BY item) AS at, count(*) OVER () AS many FROM plan_item
    WHERE plan_id = :plan AND run_id = :run AND state = 'done' AND record_type = '' AND action <> 'delete'
        AND of_item IS NULL AND record_id IS NOT NULL
) found
WHERE at = 1 OR (at - 1) * :most / many <> (at - 2) * :most / many
ORDER BY at;

-- sign_in --
-- Who signed in with a token, where that still holds.
SELECT p.name, p.role, s.csrf FROM sign_in s JOIN person p ON p.id = s.person_id
WHERE s.token_digest = :token AND s.expires_at > now();

-- run_of_import --
-- Whether a run of an import goes on; nothing where it is of another.
SELECT r.state, r.created_at FROM run r JOIN plan p ON p.id = r.plan_id WHERE r.id = :run AND p.import_id = :import;
