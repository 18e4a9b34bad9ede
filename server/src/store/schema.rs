//! The tables, as the migrations make them.
#![allow(missing_docs)]

diesel::table! {
    productions (id) {
        id -> Text,
        name -> Text,
        camera -> Text,
        deleted_at -> Nullable<BigInt>,
    }
}

diesel::table! {
    scenes (id) {
        id -> Text,
        production_id -> Text,
        position -> Integer,
        name -> Text,
        finished -> Bool,
        deleted_at -> Nullable<BigInt>,
    }
}

diesel::table! {
    media (hash) {
        hash -> Text,
        kind -> Text,
        bytes -> BigInt,
    }
}

diesel::table! {
    shots (id) {
        id -> Text,
        scene_id -> Text,
        position -> Integer,
        name -> Text,
        encoding -> Text,
        encoding_reason -> Text,
        rate -> Double,
        poster -> Integer,
        in_frame -> Integer,
        out_frame -> Nullable<Integer>,
        expected -> Integer,
        trim -> Text,
        trim_revision -> Integer,
        arrival -> Text,
        revision -> Integer,
        note -> Text,
        tags -> Text,
        contrast -> Nullable<Text>,
        proposed -> Text,
        deleted_at -> Nullable<BigInt>,
    }
}

diesel::table! {
    board_tables (id) {
        id -> Text,
        scene_id -> Text,
        position -> Integer,
        name -> Text,
        note -> Text,
        tags -> Text,
        table_hash -> Text,
        from_encoding -> Text,
        to_encoding -> Text,
        deleted_at -> Nullable<BigInt>,
    }
}

diesel::table! {
    frames (shot_id, number) {
        shot_id -> Text,
        number -> Integer,
        name -> Text,
        media_hash -> Text,
        width -> Integer,
        height -> Integer,
        bytes -> BigInt,
        healed -> BigInt,
    }
}

diesel::table! {
    profiles (id) {
        id -> Text,
        production_id -> Text,
        name -> Text,
        body -> Text,
        table_hash -> Nullable<Text>,
        revision -> Integer,
    }
}

diesel::table! {
    looks (id) {
        id -> Text,
        production_id -> Text,
        name -> Text,
        document -> Text,
        revision -> Integer,
        deleted_at -> Nullable<BigInt>,
    }
}

diesel::table! {
    look_versions (look_id, number) {
        look_id -> Text,
        number -> Integer,
        name -> Text,
        document -> Text,
        saved_at -> BigInt,
    }
}

diesel::table! {
    handoffs (id) {
        id -> Text,
        look_id -> Text,
        version -> Integer,
        from_encoding -> Text,
        to_encoding -> Text,
        size -> Integer,
        state -> Text,
        failure -> Text,
        report -> Text,
        table_hash -> Nullable<Text>,
        file_name -> Text,
        made_at -> BigInt,
        format -> Text,
        code_range -> Text,
        says -> Text,
    }
}

diesel::table! {
    plans (id) {
        id -> Text,
        production_id -> Text,
        document -> Text,
        revision -> Integer,
        made_at -> BigInt,
        deleted_at -> Nullable<BigInt>,
    }
}

diesel::table! {
    packages (id) {
        id -> Text,
        look_id -> Text,
        version -> Integer,
        plan -> Text,
        state -> Text,
        failure -> Text,
        manifest -> Text,
        archive_hash -> Nullable<Text>,
        file_name -> Text,
        made_at -> BigInt,
        deleted_at -> Nullable<BigInt>,
    }
}

diesel::table! {
    kept (id) {
        id -> Text,
        kind -> Text,
        name -> Text,
        document -> Text,
        kept_at -> BigInt,
    }
}

diesel::joinable!(shots -> scenes (scene_id));
diesel::allow_tables_to_appear_in_same_query!(
    productions,
    scenes,
    media,
    shots,
    frames,
    profiles,
    looks,
    look_versions,
    handoffs
);
