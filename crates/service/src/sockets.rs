//! Listening at an address, and how its connections are set.

use crate::ServeError;
use std::net::SocketAddr;
use std::time::Duration;
use tokio::net::{TcpListener, TcpStream};

/// How long a listener rests when the system has no more sockets.
pub(crate) const REST: Duration = Duration::from_millis(200);

/// Open files wanted: each connection needs one, those by HTTP three.
const FILES: u64 = 65_536;

/// Raises what this process may have open, as far as the system lets it.
pub(crate) fn allow_files() {
    use rustix::process::{Resource, Rlimit, getrlimit, setrlimit};
    let Rlimit { current, maximum } = getrlimit(Resource::Nofile);
    let wanted = maximum.map_or(FILES, |maximum| maximum.min(FILES));
    if current.is_some_and(|current| current < wanted)
        && let Err(error) = setrlimit(Resource::Nofile, Rlimit { current: Some(wanted), maximum })
    {
        tracing::warn!(%error, "the limit of open files was not raised");
    }
}

/// Listens at an address.
///
/// # Errors
/// [`ServeError::Listen`].
pub(crate) async fn bind(address: SocketAddr, what: &'static str) -> Result<TcpListener, ServeError> {
    TcpListener::bind(address).await.map_err(|cause| ServeError::Listen { address, what, cause })
}

/// Small packets go at once, and a peer that is gone without a word is noticed in
/// some minutes even if it asked for no keep-alive.
pub(crate) fn prepare(stream: &TcpStream) {
    let _ = stream.set_nodelay(true);
    let keep_alive =
        socket2::TcpKeepalive::new().with_time(Duration::from_secs(60)).with_interval(Duration::from_secs(20));
    let _ = socket2::SockRef::from(stream).set_tcp_keepalive(&keep_alive);
}
