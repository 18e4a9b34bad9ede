//! Ids as types of their own: the id of a shot cannot be given where that of a look is meant.

use diesel::deserialize::{self, FromSql};
use diesel::serialize::{self, IsNull, Output, ToSql};
use diesel::sql_types::Text;
use diesel::sqlite::{Sqlite, SqliteValue};

/// Makes the type of one kind of id: a text in the database, in answers and in addresses.
macro_rules! ids {
    ($($(#[$doc:meta])* $name:ident)*) => {$(
        $(#[$doc])*
        #[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
        #[derive(serde::Serialize, serde::Deserialize, schemars::JsonSchema)]
        #[derive(diesel::AsExpression, diesel::FromSqlRow)]
        #[diesel(sql_type = Text)]
        #[serde(transparent)]
        #[schemars(transparent)]
        pub struct $name(String);

        impl $name {
            /// One that nothing else has.
            pub fn fresh() -> Self {
                Self(uuid::Uuid::new_v4().to_string())
            }

            /// The id as text.
            pub fn as_str(&self) -> &str {
                &self.0
            }
        }

        impl std::fmt::Display for $name {
            fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.write_str(&self.0)
            }
        }

        impl From<&str> for $name {
            /// Takes a text that came from outside for an id; whether something has it shows when it is looked for.
            fn from(text: &str) -> Self {
                Self(text.to_owned())
            }
        }

        impl ToSql<Text, Sqlite> for $name {
            fn to_sql<'b>(&'b self, out: &mut Output<'b, '_, Sqlite>) -> serialize::Result {
                out.set_value(self.0.as_str());
                Ok(IsNull::No)
            }
        }

        impl FromSql<Text, Sqlite> for $name {
            fn from_sql(value: SqliteValue<'_, '_, '_>) -> deserialize::Result<Self> {
                <String as FromSql<Text, Sqlite>>::from_sql(value).map(Self)
            }
        }
    )*};
}

ids! {
    /// Of a table on a board.
    BoardTableId
    /// The id of a production.
    ProductionId
    /// The id of a scene.
    SceneId
    /// The id of a shot.
    ShotId
    /// The id of a look.
    LookId
    /// The id of a camera profile.
    ProfileId
    /// The id of a handoff, and of the job that makes it.
    HandoffId
    /// The id of a delivery plan.
    PlanId
    /// The id of a package, and of the job that makes it.
    PackageId
    /// The id of something kept on the Shelf.
    ShelfId
}
