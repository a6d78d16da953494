//! The tables, as `migrations/` makes them; a test compares the two.
#![allow(missing_docs, reason = "the migrations tell what each column is")]

diesel::table! {
    channels (id) {
        id -> Unsigned<Integer>,
        name -> Varchar,
        zone -> Varchar,
        currency -> Char,
        day_start_minute -> Unsigned<SmallInt>,
        week_start -> Unsigned<TinyInt>,
        weights -> Varchar,
        on_air_signal -> Varchar,
        off_air_signal -> Varchar,
        edits_at_once -> Unsigned<TinyInt>,
        level_gap_s -> Unsigned<SmallInt>,
        currency_before -> Nullable<Char>,
        desk -> Text,
        looks -> Mediumtext,
        cues -> Mediumtext,
    }
}

diesel::table! {
    outgoing (channel_id) {
        channel_id -> Unsigned<Integer>,
        bot -> Mediumtext,
        call_secret -> Varchar,
        commands_token -> Varchar,
    }
}

diesel::table! {
    schedules (channel_id) {
        channel_id -> Unsigned<Integer>,
        rules -> Mediumtext,
        url -> Varchar,
        calendar -> Mediumtext,
        read_us -> Bigint,
        failing -> Varchar,
    }
}

diesel::table! {
    users (id) {
        id -> Unsigned<Integer>,
        channel_id -> Unsigned<Integer>,
        name -> Varchar,
        password_hash -> Varchar,
        session_epoch -> Unsigned<Integer>,
    }
}

diesel::table! {
    feeds (id) {
        id -> Unsigned<Integer>,
        channel_id -> Unsigned<Integer>,
        name -> Varchar,
        kind -> Varchar,
        token -> Varchar,
        secret -> Varchar,
        previous_secret -> Nullable<Varchar>,
        previous_until_us -> Nullable<Bigint>,
        wiring -> Nullable<Text>,
        paused -> Unsigned<TinyInt>,
        removed -> Unsigned<TinyInt>,
    }
}

diesel::table! {
    deliveries (id) {
        id -> Unsigned<Bigint>,
        feed_id -> Unsigned<Integer>,
        arrived_us -> Bigint,
        digest -> Binary,
        document -> Mediumtext,
    }
}

diesel::table! {
    widgets (id) {
        id -> Unsigned<Integer>,
        channel_id -> Unsigned<Integer>,
        definition -> Text,
        page_token -> Varchar,
        look -> Text,
        draft -> Nullable<Text>,
        archived -> Unsigned<TinyInt>,
        text_file -> Nullable<Varchar>,
    }
}

diesel::table! {
    widget_past (id) {
        id -> Unsigned<Bigint>,
        widget_id -> Unsigned<Integer>,
        setup -> Text,
        draft -> Nullable<Text>,
        words -> Varchar,
        currency -> Nullable<Char>,
    }
}

diesel::table! {
    clips (id) {
        id -> Unsigned<Integer>,
        channel_id -> Unsigned<Integer>,
        token -> Varchar,
        seen -> Unsigned<Tinyint>,
        name -> Varchar,
        milliseconds -> Unsigned<Integer>,
        bytes -> Mediumblob,
    }
}

diesel::table! {
    api_tokens (id) {
        id -> Unsigned<Integer>,
        channel_id -> Unsigned<Integer>,
        name -> Varchar,
        digest -> Binary,
        scopes -> Varchar,
        used_us -> Nullable<Bigint>,
    }
}

diesel::table! {
    entries (channel_id, seq) {
        channel_id -> Unsigned<Integer>,
        seq -> Unsigned<Bigint>,
        origin -> Binary,
        source -> Varchar,
        source_id -> Varchar,
        feed_id -> Nullable<Unsigned<Integer>>,
        kind -> Varchar,
        happened_us -> Bigint,
        arrived_us -> Bigint,
        body -> Text,
    }
}

diesel::table! {
    snapshots (channel_id) {
        channel_id -> Unsigned<Integer>,
        seq -> Unsigned<Bigint>,
        version -> Unsigned<Integer>,
        body -> Longtext,
    }
}

diesel::table! {
    snapshot_parts (channel_id, part) {
        channel_id -> Unsigned<Integer>,
        part -> Unsigned<Integer>,
        body -> Mediumblob,
    }
}

diesel::table! {
    book_parts (channel_id, day, part) {
        channel_id -> Unsigned<Integer>,
        day -> Bigint,
        part -> Unsigned<Integer>,
        body -> Mediumblob,
        seq -> Unsigned<Bigint>,
    }
}

diesel::table! {
    presence (id) {
        id -> Unsigned<Tinyint>,
        alive_us -> Bigint,
        #[max_length = 500]
        holder -> Varchar,
    }
}

diesel::table! {
    absences (from_us) {
        from_us -> Bigint,
        until_us -> Bigint,
    }
}

diesel::table! {
    vote_keys (widget_id, poll) {
        widget_id -> Unsigned<Integer>,
        poll -> Unsigned<Bigint>,
        vote_key -> Binary,
    }
}

diesel::table! {
    wheel_seeds (commitment) {
        commitment -> Binary,
        widget_id -> Unsigned<Integer>,
        seed -> Nullable<Binary>,
        spun -> Nullable<Unsigned<Bigint>>,
    }
}

diesel::table! {
    passes (id) {
        id -> Unsigned<Integer>,
        channel_id -> Unsigned<Integer>,
        name -> Varchar,
        allows -> Text,
        ends_us -> Nullable<Bigint>,
        most_devices -> Unsigned<Integer>,
        most_uses -> Nullable<Unsigned<Integer>>,
        link -> Binary,
        words -> Nullable<Binary>,
        words_until_us -> Bigint,
        made_us -> Bigint,
        revoked_us -> Nullable<Bigint>,
    }
}

diesel::table! {
    pass_devices (device) {
        device -> Binary,
        pass_id -> Unsigned<Integer>,
        opened_us -> Bigint,
    }
}

diesel::table! {
    pass_uses (pass_id, press) {
        pass_id -> Unsigned<Integer>,
        press -> Binary,
        used_us -> Bigint,
        line -> Nullable<Unsigned<Bigint>>,
    }
}

diesel::table! {
    overlays (id) {
        id -> Unsigned<Integer>,
        channel_id -> Unsigned<Integer>,
        token -> Varchar,
        step -> Unsigned<Integer>,
        air -> Mediumtext,
        at_once -> Bool,
    }
}

diesel::table! {
    overlay_steps (overlay_id, step) {
        overlay_id -> Unsigned<Integer>,
        step -> Unsigned<Integer>,
        layout -> Mediumtext,
    }
}

diesel::allow_tables_to_appear_in_same_query!(vote_keys, widgets);
diesel::allow_tables_to_appear_in_same_query!(wheel_seeds, widgets);
diesel::allow_tables_to_appear_in_same_query!(pass_devices, passes);
