//! Live pictures: the page sends a path, the server sends pixels and scope counts.

mod flow;
pub mod layout;
pub mod light;
pub mod looking;
pub mod monitor;
pub mod output;
pub mod paint;
pub mod pick;
pub mod proxy;
pub mod reading;
pub mod request;
pub mod scopes;
mod smaller;
pub mod socket;
pub mod studio;
pub mod textured;

pub use layout::{Kind, Message};
pub use looking::Looking;
pub use proxy::{FrameSource, Proxies, Proxy};
pub use request::{CardsRequest, Counts, PictureRequest, Quality, RowRequest, Seat, Show};
pub use studio::Studio;
