//! How many may be connected at once, in all and from one network.

use std::collections::HashMap;
use std::net::{IpAddr, Ipv6Addr};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// The network an address counts for: an IPv6 address counts as its /64, because whoever has one
/// address of it has all of them. An IPv4 address counts for itself.
#[must_use]
pub fn network(address: IpAddr) -> IpAddr {
    match address.to_canonical() {
        IpAddr::V6(v6) => {
            let [a, b, c, d, ..] = v6.segments();
            IpAddr::V6(Ipv6Addr::new(a, b, c, d, 0, 0, 0, 0))
        }
        v4 => v4,
    }
}

/// Why there is no place.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Full {
    /// All are taken.
    All,
    /// As many are taken from this network as one may have.
    Network,
}

/// Places for connections.
#[derive(Debug)]
pub struct Places {
    most: usize,
    most_of_network: usize,
    taken: Mutex<Taken>,
}

#[derive(Debug, Default)]
struct Taken {
    all: usize,
    of_networks: HashMap<IpAddr, usize>,
}

/// A place, taken until this is dropped.
#[derive(Debug)]
pub struct Place {
    places: Arc<Places>,
    network: IpAddr,
}

impl Places {
    /// So many places in all and for one network. This machine itself may take all of them: a
    /// proxy may stand on it.
    #[must_use]
    pub fn new(most: usize, most_of_network: usize) -> Arc<Self> {
        Arc::new(Self { most, most_of_network, taken: Mutex::default() })
    }

    /// Takes a place for a connection from an address.
    ///
    /// # Errors
    /// [`Full`].
    pub fn take(self: &Arc<Self>, from: IpAddr) -> Result<Place, Full> {
        let network = network(from);
        let mut taken = self.taken();
        if taken.all >= self.most {
            return Err(Full::All);
        }
        let of_network = taken.of_networks.entry(network).or_default();
        if *of_network >= self.most_of_network && !network.is_loopback() {
            return Err(Full::Network);
        }
        *of_network += 1;
        taken.all += 1;
        drop(taken);
        Ok(Place { places: self.clone(), network })
    }

    /// Places that are taken.
    #[must_use]
    pub fn count(&self) -> usize {
        self.taken().all
    }

    fn taken(&self) -> MutexGuard<'_, Taken> {
        self.taken.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

impl Drop for Place {
    fn drop(&mut self) {
        let mut taken = self.places.taken();
        taken.all -= 1;
        if let Some(of_network) = taken.of_networks.get_mut(&self.network) {
            *of_network -= 1;
            if *of_network == 0 {
                taken.of_networks.remove(&self.network);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn take(places: &Arc<Places>, from: &str) -> Result<Place, Full> {
        places.take(from.parse().unwrap())
    }

    #[test]
    fn a_network_has_its_share_and_all_have_theirs() {
        let places = Places::new(4, 2);
        let first = take(&places, "192.0.2.1").unwrap();
        let _second = take(&places, "::ffff:192.0.2.1").unwrap();
        assert_eq!(take(&places, "192.0.2.1").unwrap_err(), Full::Network);
        let _other = take(&places, "192.0.2.2").unwrap();
        drop(first);
        let _again = take(&places, "192.0.2.1").unwrap();
        let _last = take(&places, "198.51.100.7").unwrap();
        assert_eq!((take(&places, "198.51.100.8").unwrap_err(), places.count()), (Full::All, 4));
    }

    #[test]
    fn addresses_of_one_ipv6_network_count_together_and_this_machine_may_have_all() {
        let places = Places::new(10, 1);
        let _one = take(&places, "2001:db8:1:2::1").unwrap();
        assert_eq!(take(&places, "2001:db8:1:2:ffff::9").unwrap_err(), Full::Network);
        let _two = take(&places, "2001:db8:1:3::1").unwrap();
        let local: Vec<Place> = (0..8).map(|_| take(&places, "127.0.0.1").unwrap()).collect();
        assert_eq!(take(&places, "::1").unwrap_err(), Full::All);
        drop(local);
        assert_eq!(places.count(), 2);
        assert_eq!(places.taken().of_networks.len(), 2, "nothing is remembered of those that have gone");
    }
}
