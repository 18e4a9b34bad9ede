//! Every call of the API, once: where it is routed to, and what the OpenAPI document says of it.

use super::body::Most;
use super::json::Answer;
use super::{
    arrived, boards, catalogue, deleted, encodings, handoffs, incoming, looks, packages, paths, plans,
    productions, profiles, references, scenes, sequences, shelf, shots, stocks, tables,
};
use crate::error::ApiResult;
use crate::media::incoming::{MOST_BYTES, MOST_WHOLE};
use crate::preview::{light, pick};
use actix_web::{FromRequest, Handler, HttpResponse, Responder, Route, web};
use schemars::{JsonSchema, SchemaGenerator};
use serde_json::Value;

/// What is said of a file that comes as a whole.
const WHOLE: &[&str] = &["key", "name", "number", "shot", "expected"];

/// A shape of JSON, made by the generator.
pub type Shape = fn(&mut SchemaGenerator) -> Value;

/// The shape of a type.
pub fn shape<T: JsonSchema>(g: &mut SchemaGenerator) -> Value {
    g.subschema_for::<T>().to_value()
}

/// What a handler answers with, and so what the document says of it.
pub trait Gives {
    /// The shape of its JSON; none where it answers with a file or nothing.
    const SHAPE: Option<Shape>;
}

impl Gives for HttpResponse {
    const SHAPE: Option<Shape> = None;
}

impl<T: JsonSchema> Gives for web::Json<T> {
    const SHAPE: Option<Shape> = Some(shape::<T>);
}

impl<T: JsonSchema> Gives for Answer<T> {
    const SHAPE: Option<Shape> = Some(shape::<T>);
}

impl<T: Gives> Gives for ApiResult<T> {
    const SHAPE: Option<Shape> = T::SHAPE;
}

/// A call.
pub struct Call {
    /// In lower case, as OpenAPI has it.
    pub method: &'static str,
    /// Its path, with `{names}`.
    pub path: &'static str,
    /// What it does.
    pub does: &'static str,
    /// What its query may say.
    pub asks: &'static [&'static str],
    /// Its JSON body.
    pub takes: Option<Shape>,
    /// The JSON that it answers with.
    pub gives: Option<Shape>,
    /// The longest file that its body may be, where it is one.
    pub most: Option<usize>,
    route: Route,
}

impl Call {
    fn new<F, Args>(
        method: &'static str,
        path: &'static str,
        does: &'static str,
        route: Route,
        handler: F,
    ) -> Self
    where
        F: Handler<Args>,
        Args: FromRequest + 'static,
        F::Output: Responder + Gives + 'static,
    {
        Self {
            method,
            path,
            does,
            asks: &[],
            takes: None,
            gives: F::Output::SHAPE,
            most: None,
            route: route.to(handler),
        }
    }

    /// Its JSON body is a `T`.
    fn takes<T: JsonSchema>(self) -> Self {
        Self { takes: Some(shape::<T>), ..self }
    }

    /// What its query may say.
    fn asks(self, asks: &'static [&'static str]) -> Self {
        Self { asks, ..self }
    }

    /// Its body is a file of up to so many bytes.
    fn file(self, most: usize) -> Self {
        Self { most: Some(most), ..self }
    }

    /// Routes to it.
    pub fn register(self, config: &mut web::ServiceConfig) {
        match self.most {
            None => config.route(self.path, self.route),
            Some(most) => {
                let limited =
                    web::resource(self.path).app_data(Most(most)).app_data(web::PayloadConfig::new(most));
                config.service(limited.route(self.route))
            }
        };
    }
}

macro_rules! methods {
    ($($method:ident),*) => {
        impl Call {$(
            fn $method<F, Args>(path: &'static str, does: &'static str, handler: F) -> Self
            where
                F: Handler<Args>,
                Args: FromRequest + 'static,
                F::Output: Responder + Gives + 'static,
            {
                Self::new(stringify!($method), path, does, web::$method(), handler)
            }
        )*}
    };
}

methods!(get, post, put, patch, delete);

/// Every call. Of two paths that both fit, the one without a name in that place comes first.
pub fn calls() -> Vec<Call> {
    vec![
        Call::post(
            "/api/productions/demo",
            "Puts the demo production in where there is none",
            productions::demo,
        ),
        Call::post(
            "/api/productions/import",
            "Makes a production from a file that arrived under a key",
            productions::import,
        )
        .takes::<productions::ImportProduction>(),
        Call::get("/api/catalogue", "Every kind of step with its parameters", catalogue::steps),
        Call::get("/api/encodings", "Every encoding", catalogue::encodings),
        Call::get("/api/productions/{id}/stocks", "Film stocks to choose from", stocks::of_production),
        Call::post("/api/stocks/measured", "The stock that wedges make of another", stocks::measure)
            .takes::<stocks::MeasureStock>(),
        Call::post(
            "/api/stocks/film",
            "The negative and print that patches or a table make",
            stocks::fit_film,
        )
        .takes::<stocks::FitFilm>(),
        Call::get("/api/stock-fields", "Parameters of a stock's parts", stocks::fields),
        Call::get("/api/scopes", "What stands still in the scopes", catalogue::scopes),
        Call::get("/api/look-schema", "JSON Schema of look files", catalogue::look_schema),
        Call::get("/api/productions", "All productions", productions::list),
        Call::get("/api/productions/{id}", "One production", productions::show),
        Call::post("/api/productions", "Makes a production with a first look", productions::create)
            .takes::<productions::NameProduction>(),
        Call::put("/api/productions/{id}", "Renames it", productions::rename)
            .takes::<productions::NameProduction>(),
        Call::delete("/api/productions/{id}", "Deletes it with everything in it", productions::delete),
        Call::post("/api/productions/{id}/restore", "Puts a deleted production back", productions::restore),
        Call::post("/api/productions/{id}/duplicate", "Copies it under a new name", productions::duplicate)
            .takes::<productions::NameProduction>(),
        Call::get("/api/deleted", "Productions that were deleted", deleted::productions),
        Call::get("/api/productions/{id}/deleted", "What was deleted of it", deleted::of_production),
        Call::delete(
            "/api/deleted/{sort}/{id}",
            "Takes something that was deleted away for good",
            deleted::forget,
        ),
        Call::get("/api/productions/{id}/export", "All of it as one file", productions::export),
        Call::put("/api/productions/{id}/order", "Puts its scenes and shots in an order", scenes::arrange)
            .takes::<scenes::Arrange>(),
        Call::post("/api/productions/{id}/scenes", "Makes a scene", scenes::create)
            .takes::<scenes::CreateScene>(),
        Call::put("/api/scenes/{id}", "Changes a scene", scenes::edit).takes::<scenes::EditScene>(),
        Call::delete("/api/scenes/{id}", "Deletes a scene with its shots", scenes::delete),
        Call::post("/api/scenes/{id}/restore", "Puts a deleted scene back", scenes::restore),
        Call::post("/api/scenes/{id}/join", "Joins stills to a sequence", sequences::join)
            .takes::<sequences::JoinStills>(),
        Call::post("/api/shots/{id}/restore", "Puts a deleted shot back", shots::restore),
        Call::post("/api/shots/{id}/apart", "Takes a sequence apart into stills", sequences::apart),
        Call::get("/api/shots/{id}/code-values", "What its code values speak for", shots::code_values),
        Call::post("/api/productions/{id}/profiles", "Makes a camera profile", profiles::create)
            .takes::<profiles::SaveProfile>(),
        Call::put("/api/profiles/{id}", "Changes a camera profile", profiles::edit)
            .takes::<profiles::SaveProfile>(),
        Call::delete("/api/profiles/{id}", "Deletes a camera profile that no shot has", profiles::delete),
        Call::post(
            "/api/profile-reading",
            "Where light lands on the curve of a profile that is being made",
            profiles::reading,
        )
        .takes::<Value>(),
        Call::post("/api/group", "Says which files are one shot", incoming::group).takes::<incoming::Names>(),
        Call::get("/api/incoming/{key}", "How much of a file is here", incoming::have),
        Call::put(
            "/api/incoming/{key}",
            "Takes a file's bytes from byte ?from= on; ?name= is its name",
            incoming::take,
        )
        .asks(&["from", "name"])
        .file(MOST_BYTES as usize),
        Call::delete("/api/incoming/{key}", "Gives a file up", incoming::give_up),
        Call::post(
            "/api/scenes/{id}/shots",
            "Makes a shot from a file that arrived under a key",
            arrived::create_shot,
        )
        .takes::<arrived::Arrived>(),
        Call::get("/api/shots/{id}/frames", "The frames of a shot", arrived::frames),
        Call::post("/api/shots/{id}/frames", "Takes a file that arrived in as a frame", arrived::add_frame)
            .takes::<arrived::Arrived>(),
        Call::put(
            "/api/scenes/{id}/pictures",
            "Makes a shot from a short picture file that comes as a whole",
            arrived::create_shot_of,
        )
        .asks(WHOLE)
        .file(MOST_WHOLE),
        Call::put(
            "/api/shots/{id}/pictures",
            "Takes a short picture file that comes as a whole in as a frame",
            arrived::add_frame_of,
        )
        .asks(WHOLE)
        .file(MOST_WHOLE),
        Call::post("/api/shots/{id}/stop", "Stops what comes in for a shot", incoming::stop),
        Call::get("/api/folders", "Folders on this machine that the operator allowed", incoming::folders),
        Call::post("/api/folders/list", "What lies in one of them", incoming::list_folder)
            .takes::<incoming::FolderPlace>(),
        Call::post("/api/scenes/{id}/bring", "Brings files of an allowed folder in", incoming::bring_in)
            .takes::<incoming::BringIn>(),
        Call::put(
            "/api/productions/{id}/encodings",
            "Says of many shots at once how they are encoded",
            encodings::set,
        )
        .takes::<encodings::SetEncodings>(),
        Call::patch("/api/shots/{id}", "Changes a shot", shots::edit).takes::<shots::EditShot>(),
        Call::delete("/api/shots/{id}", "Takes a shot out", shots::delete),
        Call::get("/api/shots/{id}/trim", "A shot's trim", shots::trim),
        Call::put("/api/shots/{id}/trim", "Saves a shot's trim", shots::save_trim).takes::<shots::SaveTrim>(),
        Call::post(
            "/api/shots/{id}/trim/copy",
            "Copies a trim, or steps of it, to other shots",
            shots::copy_trim,
        )
        .takes::<shots::CopyTrim>(),
        Call::get("/api/shots/{id}/as", "A PNG of how a shot would look in ?encoding=", shots::as_encoding)
            .asks(&["encoding", "width"]),
        Call::post("/api/match", "What brings one shot to another", shots::bring)
            .takes::<light::MatchRequest>(),
        Call::get("/api/productions/{id}/looks", "Its looks", looks::list),
        Call::post("/api/productions/{id}/looks", "Makes a look", looks::create).takes::<looks::CreateLook>(),
        Call::get("/api/looks/{id}", "One look", looks::show),
        Call::put("/api/looks/{id}", "Saves a change", looks::save).takes::<looks::SaveLook>(),
        Call::delete("/api/looks/{id}", "Deletes a look", looks::delete),
        Call::post("/api/looks/{id}/restore", "Puts a deleted look back", looks::restore),
        Call::get("/api/looks/{id}/versions", "Its versions", looks::versions),
        Call::post("/api/looks/{id}/versions", "Keeps a version", looks::keep_version)
            .takes::<looks::KeepVersion>(),
        Call::get("/api/looks/{id}/versions/{number}", "One version", looks::version),
        Call::get("/api/looks/{id}/handoffs", "Its handoffs", handoffs::list),
        Call::post("/api/looks/{id}/handoffs", "Begins a handoff", handoffs::create)
            .takes::<handoffs::CreateHandoff>(),
        Call::get("/api/productions/{id}/plans", "Its delivery plans", plans::list),
        Call::post(
            "/api/productions/{id}/plans",
            "Makes a delivery plan, also of what a file says",
            plans::create,
        )
        .takes::<plans::CreatePlan>(),
        Call::get("/api/plans/{id}", "One plan", plans::show),
        Call::put("/api/plans/{id}", "Saves a change of a plan", plans::save).takes::<plans::SavePlan>(),
        Call::delete("/api/plans/{id}", "Deletes a plan", plans::delete),
        Call::post("/api/plans/{id}/restore", "Puts a deleted plan back", plans::restore),
        Call::get("/api/plans/{id}/file", "A plan as a file for the command line", plans::file),
        Call::get("/api/looks/{id}/packages", "Its packages", packages::list),
        Call::post("/api/looks/{id}/packages", "Begins a package of a version by a plan", packages::create)
            .takes::<packages::CreatePackage>(),
        Call::get("/api/packages/{id}", "One package", packages::show),
        Call::post("/api/packages/{id}/cancel", "Stops a package", packages::cancel),
        Call::post(
            "/api/packages/{id}/resume",
            "Takes a package up again that was stopped",
            packages::resume,
        ),
        Call::delete("/api/packages/{id}", "Deletes a package", packages::delete),
        Call::post("/api/packages/{id}/restore", "Puts a deleted package back", packages::restore),
        Call::get("/api/packages/{id}/zip", "The package as an archive", packages::zip),
        Call::get("/api/packages/{id}/report", "Its report, as a page", packages::report),
        Call::get("/api/packages/{id}/file", "One file of it; ?path= is its path there", packages::file)
            .asks(&["path"]),
        Call::get("/api/handoffs/{id}", "One handoff", handoffs::show),
        Call::post("/api/handoffs/{id}/cancel", "Stops a handoff", handoffs::cancel),
        Call::get("/api/handoffs/{id}/report", "Its report, as a file", handoffs::report),
        Call::get("/api/handoffs/{id}/table", "The table's file", handoffs::table),
        Call::post("/api/productions/{id}/looks/import", "Makes a look from a look file", looks::import)
            .file(looks::MOST_FILE),
        Call::get("/api/looks/{id}/file", "A look as one file, its tables inside", looks::export),
        Call::post(
            "/api/productions/{id}/identify",
            "Says which handoff a table is that came back; ?name= is its name",
            handoffs::identify,
        )
        .asks(&["name"])
        .file(tables::MOST_BYTES),
        Call::post(
            "/api/tables",
            "Brings in a table of any format that is read; ?name= is its name",
            tables::create,
        )
        .asks(&["name", "range"])
        .file(tables::MOST_BYTES),
        Call::post("/api/references/match", "Steps that bring a shot to references", references::matched)
            .takes::<references::MatchReferences>(),
        Call::post("/api/scenes/{id}/tables", "Puts a table on a board", boards::put)
            .takes::<boards::PutOnBoard>(),
        Call::put("/api/board-tables/{id}", "Changes a table on a board", boards::edit)
            .takes::<boards::EditBoardTable>(),
        Call::delete("/api/board-tables/{id}", "Takes a table from its board", boards::delete),
        Call::post("/api/board-tables/{id}/restore", "Puts a table back on its board", boards::restore),
        Call::post("/api/shots/{id}/kept", "Keeps a frame as a still of a board", boards::keep_frame)
            .takes::<boards::KeepFrame>(),
        Call::post(
            "/api/references/reading",
            "Tones and colours of a shot under a path",
            references::read_seen,
        )
        .takes::<references::Seen>(),
        Call::post("/api/references/taken", "A part of a reference's reading as a step", references::taken)
            .takes::<references::TakePart>(),
        Call::post("/api/references/pairs", "Pairs that the program proposes", references::propose)
            .takes::<references::ProposePairs>(),
        Call::post("/api/references/patches", "Areas of two pictures compared", references::patches)
            .takes::<references::ComparePatches>(),
        Call::get("/api/shots/{id}/reading", "Tones and colours of a shot", references::read),
        Call::post("/api/tables/reading", "What a table does", tables::read).takes::<tables::ReadTable>(),
        Call::post("/api/paths/reading", "What a look does, as a table's reading", tables::read_path)
            .takes::<tables::ReadPath>(),
        Call::post("/api/unpicks", "Begins to take a table apart", tables::begin_unpick)
            .takes::<tables::UnpickTable>(),
        Call::get("/api/unpicks/{id}", "How far a table that is taken apart has come", tables::show_unpick),
        Call::delete("/api/unpicks/{id}", "Stops it", tables::stop_unpick),
        Call::post("/api/corrections/read", "Reads a colour decision list", tables::read_corrections)
            .file(lantern_formats::cdl::MAX_BYTES),
        Call::post("/api/corrections/write", "Writes a colour decision list", tables::write_corrections)
            .takes::<tables::WriteCorrections>(),
        Call::get("/api/shelf", "Everything on the Shelf", shelf::list),
        Call::post("/api/shelf", "Keeps a look or steps on the Shelf", shelf::keep)
            .takes::<shelf::KeepOnShelf>(),
        Call::delete("/api/shelf/{id}", "Takes something from the Shelf", shelf::remove),
        Call::post("/api/compare", "What two paths differ in", paths::differences)
            .takes::<paths::ComparePaths>(),
        Call::get("/api/range-fields", "The parameters of a colour range", paths::range_fields),
        Call::post("/api/pick", "A bump or a colour range from a place of the picture", paths::pick)
            .takes::<pick::PickRequest>(),
        Call::post(
            "/api/dropper",
            "Balance that makes a place neutral, or gives it an exposure",
            shots::dropper,
        )
        .takes::<light::DropperRequest>(),
    ]
}
