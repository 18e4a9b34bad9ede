//! Live pictures: the page sends a path, the server sends pixels and scope counts.

pub mod frame;
pub mod proxy;
pub mod reading;
pub mod socket;

pub use frame::{Frame, PictureRequest, Quality, RowRequest};
pub use proxy::{Proxies, Proxy};
