-- What writers may do, as functions of the database. Nobody but the owner writes the tables themselves.
-- {schema} is the quoted schema of the library. Every function looks names up there first, whatever its caller set.

-- Locks of things are rows here: a reader cannot take one, unlike the numbered locks that anybody may take.
CREATE TABLE held_thing (thing text PRIMARY KEY);

CREATE FUNCTION zesty_now_us() RETURNS bigint LANGUAGE sql SET search_path = {schema}, pg_temp
AS $$ SELECT (extract(epoch FROM clock_timestamp()) * 1000000)::bigint $$;

CREATE FUNCTION zesty_hold_things(things text[]) RETURNS void LANGUAGE plpgsql SET search_path = {schema}, pg_temp AS $$
BEGIN
  -- always in one order, so that two that want the same never wait for each other
  INSERT INTO held_thing SELECT DISTINCT t FROM unnest(things) t ORDER BY t ON CONFLICT DO NOTHING;
  PERFORM FROM held_thing WHERE thing = ANY (things) ORDER BY thing FOR UPDATE;
END $$;

CREATE FUNCTION zesty_hold(things uuid[]) RETURNS void LANGUAGE plpgsql SECURITY DEFINER
SET search_path = {schema}, pg_temp AS $$
BEGIN
  PERFORM zesty_hold_things(things::text[]);
END $$;

-- A text that is to be a document: JSON, an object, of the thing it is kept as.
CREATE FUNCTION zesty_check_document(document text, thing uuid) RETURNS void LANGUAGE plpgsql
SET search_path = {schema}, pg_temp AS $$
DECLARE plain jsonb;
BEGIN
  IF octet_length(document) > 67108864 THEN RAISE EXCEPTION 'this is no document (larger than 64 MiB)'; END IF;
  BEGIN
    plain := document::jsonb;
    IF jsonb_typeof(plain) <> 'object' OR (plain->>'id')::uuid IS DISTINCT FROM thing THEN
      RAISE EXCEPTION 'another thing';
    END IF;
  EXCEPTION WHEN OTHERS THEN
    RAISE EXCEPTION 'this is no document of %', thing;
  END;
END $$;

CREATE FUNCTION zesty_check_parent(newest integer, parent integer) RETURNS void LANGUAGE plpgsql
SET search_path = {schema}, pg_temp AS $$
BEGIN
  IF newest IS DISTINCT FROM parent THEN RAISE EXCEPTION 'one_child_a revision: the parent is not the newest'; END IF;
END $$;

-- Layouts.

CREATE FUNCTION zesty_index_layout(thing text, made integer, index json) RETURNS void LANGUAGE plpgsql
SET search_path = {schema}, pg_temp AS $$
BEGIN
  DELETE FROM head_field WHERE layout_id = thing;
  DELETE FROM head WHERE layout_id = thing;
  IF index IS NULL THEN RETURN; END IF;
  INSERT INTO head (layout_id, revision_id, name, folded_name, protocol, address, extended, lanes)
    SELECT thing, made, i.name, i.folded_name, i.protocol, i.address, i.extended, i.lanes
    FROM json_to_record(index) i(name text, folded_name text, protocol text, address bigint, extended boolean, lanes text);
  INSERT INTO head_field (layout_id, field_id, name, unit, folded_name, folded_unit)
    SELECT thing, f.field_id::text, f.name, f.unit, f.folded_name, f.folded_unit
    FROM json_to_recordset(index->'fields')
      f(field_id uuid, name text, unit text, folded_name text, folded_unit text);
END $$;

CREATE FUNCTION zesty_keep_layout(
  item uuid, parent integer, author text, reason text, document text, proposal uuid, index json
) RETURNS SETOF revision LANGUAGE plpgsql SECURITY DEFINER SET search_path = {schema}, pg_temp AS $$
#variable_conflict use_column
DECLARE before revision%ROWTYPE; made revision%ROWTYPE;
BEGIN
  PERFORM zesty_hold_things(array_remove(ARRAY[item::text, proposal::text], NULL));
  SELECT * INTO before FROM revision WHERE layout_id = item::text ORDER BY number DESC LIMIT 1;
  PERFORM zesty_check_parent(before.id, zesty_keep_layout.parent);
  IF zesty_keep_layout.document IS NOT NULL THEN
    PERFORM zesty_check_document(zesty_keep_layout.document, item);
  ELSIF before.document IS NULL THEN
    RAISE EXCEPTION 'there is nothing to remove';
  END IF;
  INSERT INTO revision (layout_id, number, parent_id, author, time_us, reason, document, proposal_id)
    VALUES (item::text, COALESCE(before.number, 0) + 1, before.id, zesty_keep_layout.author, zesty_now_us(),
            zesty_keep_layout.reason, zesty_keep_layout.document, proposal::text)
    RETURNING * INTO made;
  PERFORM zesty_index_layout(item::text, made.id,
    CASE WHEN zesty_keep_layout.document IS NULL THEN NULL ELSE zesty_keep_layout.index END);
  IF proposal IS NOT NULL THEN
    INSERT INTO proposal_event (proposal_id, layout_id, kind, author, time_us, text)
      VALUES (proposal::text, item::text, 'kept', zesty_keep_layout.author, zesty_now_us(), '');
  END IF;
  RETURN NEXT made;
END $$;

-- Recipes and other documents.

CREATE FUNCTION zesty_keep_recipe(
  item uuid, parent integer, author text, reason text, document text, name text
) RETURNS SETOF recipe_revision LANGUAGE plpgsql SECURITY DEFINER SET search_path = {schema}, pg_temp AS $$
#variable_conflict use_column
DECLARE before recipe_revision%ROWTYPE; made recipe_revision%ROWTYPE;
BEGIN
  PERFORM zesty_hold_things(ARRAY[item::text]);
  SELECT * INTO before FROM recipe_revision WHERE recipe_id = item::text ORDER BY number DESC LIMIT 1;
  PERFORM zesty_check_parent(before.id, zesty_keep_recipe.parent);
  IF zesty_keep_recipe.document IS NOT NULL THEN
    PERFORM zesty_check_document(zesty_keep_recipe.document, item);
  END IF;
  INSERT INTO recipe_revision (recipe_id, number, parent_id, author, time_us, reason, document)
    VALUES (item::text, COALESCE(before.number, 0) + 1, before.id, zesty_keep_recipe.author, zesty_now_us(),
            zesty_keep_recipe.reason, zesty_keep_recipe.document)
    RETURNING * INTO made;
  DELETE FROM recipe_head WHERE recipe_id = item::text;
  IF zesty_keep_recipe.document IS NOT NULL THEN
    INSERT INTO recipe_head (recipe_id, revision_id, name) VALUES (item::text, made.id, zesty_keep_recipe.name);
  END IF;
  RETURN NEXT made;
END $$;

CREATE FUNCTION zesty_keep_document(
  item uuid, sort text, parent integer, author text, reason text, document text, about uuid, name text, folded text
) RETURNS SETOF document_revision LANGUAGE plpgsql SECURITY DEFINER SET search_path = {schema}, pg_temp AS $$
#variable_conflict use_column
DECLARE before document_revision%ROWTYPE; made document_revision%ROWTYPE;
BEGIN
  PERFORM zesty_hold_things(ARRAY[item::text]);
  SELECT * INTO before FROM document_revision WHERE document_id = item::text ORDER BY number DESC LIMIT 1;
  PERFORM zesty_check_parent(before.id, zesty_keep_document.parent);
  IF before.kind IS DISTINCT FROM sort AND before.id IS NOT NULL THEN
    RAISE EXCEPTION 'this is a %, and stays one', before.kind;
  END IF;
  IF zesty_keep_document.document IS NOT NULL THEN
    PERFORM zesty_check_document(zesty_keep_document.document, item);
  END IF;
  INSERT INTO document_revision (document_id, kind, number, parent_id, author, time_us, reason, document)
    VALUES (item::text, sort, COALESCE(before.number, 0) + 1, before.id, zesty_keep_document.author, zesty_now_us(),
            zesty_keep_document.reason, zesty_keep_document.document)
    RETURNING * INTO made;
  DELETE FROM document_head WHERE document_id = item::text;
  IF zesty_keep_document.document IS NOT NULL THEN
    INSERT INTO document_head (document_id, kind, revision_id, about, name, folded_text)
      VALUES (item::text, sort, made.id, zesty_keep_document.about::text, zesty_keep_document.name, folded);
  END IF;
  RETURN NEXT made;
END $$;

-- Proposals. Their ids come from here; who may say what, and when, is asked by the triggers of the table.

CREATE FUNCTION zesty_tell_proposal(
  proposal uuid, layout uuid, step text, author text, text text, parent integer, document text, agreed_to integer
) RETURNS uuid LANGUAGE plpgsql SECURITY DEFINER SET search_path = {schema}, pg_temp AS $$
#variable_conflict use_column
DECLARE known uuid := proposal;
BEGIN
  IF step = 'kept' THEN RAISE EXCEPTION 'a proposal is kept with its change'; END IF;
  IF known IS NULL THEN
    IF step <> 'proposed' THEN RAISE EXCEPTION 'there is no such proposal'; END IF;
    known := gen_random_uuid();
  END IF;
  PERFORM zesty_hold_things(ARRAY[known::text, layout::text]);
  IF proposal IS NOT NULL AND NOT EXISTS (SELECT FROM proposal_event p WHERE p.proposal_id = known::text) THEN
    RAISE EXCEPTION 'there is no such proposal';
  END IF;
  IF zesty_tell_proposal.document IS NOT NULL THEN
    PERFORM zesty_check_document(zesty_tell_proposal.document, layout);
  END IF;
  INSERT INTO proposal_event (proposal_id, layout_id, kind, author, time_us, text, parent_id, document, agreed_to)
    VALUES (known::text, layout::text, step, zesty_tell_proposal.author, zesty_now_us(), zesty_tell_proposal.text,
            zesty_tell_proposal.parent, zesty_tell_proposal.document, zesty_tell_proposal.agreed_to);
  RETURN known;
END $$;

CREATE FUNCTION zesty_set_rules(needed integer, agreed_by json, author text) RETURNS void
LANGUAGE plpgsql SECURITY DEFINER SET search_path = {schema}, pg_temp AS $$
#variable_conflict use_column
DECLARE name json;
BEGIN
  PERFORM zesty_hold_things(ARRAY['rules']);
  IF zesty_set_rules.needed NOT BETWEEN 0 AND 1000 OR json_typeof(zesty_set_rules.agreed_by) <> 'array' THEN
    RAISE EXCEPTION 'these are no rules';
  END IF;
  FOR name IN SELECT * FROM json_array_elements(zesty_set_rules.agreed_by) LOOP
    IF json_typeof(name) <> 'string' THEN RAISE EXCEPTION 'these are no rules'; END IF;
  END LOOP;
  INSERT INTO rule (needed, agreed_by, author, time_us)
    VALUES (zesty_set_rules.needed, zesty_set_rules.agreed_by::text, zesty_set_rules.author, zesty_now_us());
END $$;

-- Releases, drafts, presence.

CREATE FUNCTION zesty_release(name text, notes text, author text) RETURNS void
LANGUAGE plpgsql SECURITY DEFINER SET search_path = {schema}, pg_temp AS $$
#variable_conflict use_column
DECLARE made integer;
BEGIN
  PERFORM zesty_hold_things(ARRAY['releases']);
  IF btrim(zesty_release.name) = '' THEN RAISE EXCEPTION 'a release needs a name'; END IF;
  INSERT INTO release (name, notes, author, time_us)
    VALUES (zesty_release.name, zesty_release.notes, zesty_release.author, zesty_now_us()) RETURNING id INTO made;
  INSERT INTO release_item (release_id, layout_id, revision_id) SELECT made, layout_id, revision_id FROM head;
END $$;

CREATE FUNCTION zesty_keep_draft(item uuid, parent integer, reason text, document text) RETURNS void
LANGUAGE plpgsql SECURITY DEFINER SET search_path = {schema}, pg_temp AS $$
#variable_conflict use_column
BEGIN
  PERFORM zesty_check_document(zesty_keep_draft.document, item);
  DELETE FROM draft WHERE layout_id = item::text AND login = session_user;
  INSERT INTO draft (layout_id, parent_id, reason, time_us, document)
    VALUES (item::text, zesty_keep_draft.parent, zesty_keep_draft.reason, zesty_now_us(), zesty_keep_draft.document);
END $$;

CREATE FUNCTION zesty_drop_draft(item uuid) RETURNS void
LANGUAGE plpgsql SECURITY DEFINER SET search_path = {schema}, pg_temp AS $$
BEGIN
  DELETE FROM draft WHERE layout_id = item::text AND login = session_user;
END $$;

CREATE FUNCTION zesty_say_present(one uuid, author text, layout uuid) RETURNS void
LANGUAGE plpgsql SECURITY DEFINER SET search_path = {schema}, pg_temp AS $$
#variable_conflict use_column
DECLARE known presence%ROWTYPE;
BEGIN
  SELECT * INTO known FROM presence p WHERE p.window = one::text AND p.login = session_user;
  IF NOT FOUND THEN
    -- what programs that were killed left behind, and no more windows than a person has
    DELETE FROM presence p WHERE p.login = session_user AND p.seen_us < zesty_now_us() - 86400000000;
    IF (SELECT count(*) FROM presence p WHERE p.login = session_user) >= 200 THEN
      RAISE EXCEPTION 'so many windows has nobody';
    END IF;
    INSERT INTO presence ("window", author, layout_id, seen_us)
      VALUES (one::text, zesty_say_present.author, layout::text, zesty_now_us());
  ELSIF known.author = zesty_say_present.author AND known.layout_id IS NOT DISTINCT FROM layout::text THEN
    -- only the time, so that nobody is told of what is no news
    UPDATE presence p SET seen_us = zesty_now_us() WHERE p.window = one::text AND p.login = session_user;
  ELSE
    UPDATE presence p SET seen_us = zesty_now_us(), author = zesty_say_present.author, layout_id = layout::text
      WHERE p.window = one::text AND p.login = session_user;
  END IF;
END $$;

CREATE FUNCTION zesty_leave(one uuid) RETURNS void
LANGUAGE plpgsql SECURITY DEFINER SET search_path = {schema}, pg_temp AS $$
BEGIN
  DELETE FROM presence p WHERE p.window = one::text AND p.login = session_user;
END $$;

-- What holds for whoever writes, the owner too.

CREATE FUNCTION zesty_revision_is_next() RETURNS trigger LANGUAGE plpgsql SET search_path = {schema}, pg_temp AS $$
DECLARE before revision%ROWTYPE;
BEGIN
  SELECT * INTO before FROM revision WHERE layout_id = NEW.layout_id ORDER BY number DESC LIMIT 1;
  PERFORM zesty_check_parent(before.id, NEW.parent_id);
  IF NEW.number <> COALESCE(before.number, 0) + 1 OR NEW.id <= COALESCE(before.id, 0) THEN
    RAISE EXCEPTION 'one_child_a revision: it does not follow the newest';
  END IF;
  RETURN NEW;
END $$;
CREATE TRIGGER revision_is_next BEFORE INSERT ON revision FOR EACH ROW EXECUTE FUNCTION zesty_revision_is_next();

CREATE OR REPLACE FUNCTION zesty_revision_is_agreed() RETURNS trigger LANGUAGE plpgsql
SET search_path = {schema}, pg_temp AS $$
DECLARE asked integer; since proposal_event%ROWTYPE; ended text; agreed integer;
BEGIN
  SELECT needed INTO asked FROM rule ORDER BY id DESC LIMIT 1;
  asked := COALESCE(asked, 0);
  IF asked = 0 AND NEW.proposal_id IS NULL THEN RETURN NEW; END IF;
  SELECT * INTO since FROM proposal_event WHERE proposal_id = NEW.proposal_id
    AND layout_id = NEW.layout_id AND kind = 'proposed' ORDER BY id DESC LIMIT 1;
  SELECT kind INTO ended FROM proposal_event WHERE proposal_id = NEW.proposal_id
    AND kind IN ('sent back', 'withdrawn', 'kept') AND id > since.id LIMIT 1;
  SELECT count(DISTINCT login) INTO agreed FROM proposal_event
    WHERE proposal_id = NEW.proposal_id AND kind = 'agreed' AND agreed_to = since.id AND login <> since.login;
  IF since.id IS NULL OR ended IS NOT NULL OR agreed < GREATEST(asked, 1)
     OR EXISTS (SELECT FROM revision r WHERE r.proposal_id = NEW.proposal_id)
  THEN RAISE EXCEPTION 'changes are agreed first'; END IF;
  -- what was agreed is a document on a state: with what others kept since it would be another one
  IF asked > 0 AND (NEW.parent_id IS DISTINCT FROM since.parent_id OR NEW.document IS DISTINCT FROM since.document)
  THEN RAISE EXCEPTION 'another change was agreed'; END IF;
  RETURN NEW;
END $$;

CREATE FUNCTION zesty_event_is_next() RETURNS trigger LANGUAGE plpgsql SET search_path = {schema}, pg_temp AS $$
DECLARE first proposal_event%ROWTYPE; newest proposal_event%ROWTYPE; last proposal_event%ROWTYPE; standing text;
BEGIN
  SELECT * INTO first FROM proposal_event WHERE proposal_id = NEW.proposal_id ORDER BY id LIMIT 1;
  SELECT * INTO newest FROM proposal_event WHERE proposal_id = NEW.proposal_id AND kind = 'proposed'
    ORDER BY id DESC LIMIT 1;
  SELECT * INTO last FROM proposal_event WHERE proposal_id = NEW.proposal_id ORDER BY id DESC LIMIT 1;
  SELECT kind INTO standing FROM proposal_event WHERE proposal_id = NEW.proposal_id
    AND kind NOT IN ('replied', 'agreed') ORDER BY id DESC LIMIT 1;
  IF first.id IS NULL AND NEW.kind <> 'proposed' THEN RAISE EXCEPTION 'there is no such proposal'; END IF;
  IF first.id IS NOT NULL AND (first.layout_id <> NEW.layout_id OR NEW.id <= last.id) THEN
    RAISE EXCEPTION 'this does not follow what was said before';
  END IF;
  IF standing IN ('withdrawn', 'kept') THEN RAISE EXCEPTION 'this proposal is % already', standing; END IF;
  IF first.id IS NOT NULL AND NEW.kind IN ('proposed', 'withdrawn') AND first.login <> NEW.login THEN
    RAISE EXCEPTION 'this is a proposal of %', first.author;
  END IF;
  IF NEW.kind = 'agreed' THEN
    IF standing = 'sent back' THEN RAISE EXCEPTION 'this proposal was sent back'; END IF;
    IF NEW.agreed_to IS DISTINCT FROM newest.id THEN RAISE EXCEPTION 'another state was proposed since'; END IF;
  ELSIF NEW.kind = 'kept' THEN
    IF NOT EXISTS (SELECT FROM revision r WHERE r.proposal_id = NEW.proposal_id) THEN
      RAISE EXCEPTION 'a proposal is kept with its change';
    END IF;
  ELSIF NEW.kind = 'proposed' THEN
    IF NEW.parent_id IS NOT NULL AND NOT EXISTS (
      SELECT FROM revision r WHERE r.id = NEW.parent_id AND r.layout_id = NEW.layout_id) THEN
      RAISE EXCEPTION 'this does not begin from a state of the layout';
    END IF;
  ELSIF NEW.kind NOT IN ('replied', 'sent back', 'withdrawn') THEN
    RAISE EXCEPTION 'nothing is called %', NEW.kind;
  END IF;
  RETURN NEW;
END $$;
-- behind the signature in the order of names, since it asks who signs
CREATE TRIGGER proposal_event_keeps_order BEFORE INSERT ON proposal_event
  FOR EACH ROW EXECUTE FUNCTION zesty_event_is_next();

CREATE FUNCTION zesty_release_is_closed() RETURNS trigger LANGUAGE plpgsql SET search_path = {schema}, pg_temp AS $$
BEGIN
  -- only the transaction that makes a release puts anything into it
  IF NOT EXISTS (SELECT FROM release r WHERE r.id = NEW.release_id
                 AND r.xmin::text::bigint = (txid_current() % 4294967296)) THEN
    RAISE EXCEPTION 'history is never rewritten';
  END IF;
  RETURN NEW;
END $$;
CREATE TRIGGER release_item_is_closed BEFORE INSERT ON release_item
  FOR EACH ROW EXECUTE FUNCTION zesty_release_is_closed();
