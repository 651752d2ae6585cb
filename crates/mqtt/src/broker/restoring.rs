//! What was kept when the service last ran.

use super::flight::{Flight, Phase};
use super::parcel::Parcel;
use super::session::{Received, Testament};
use super::{Broker, Realm, keep, opening, tree};
use crate::message::Message;
use lantern_core::state::KeptState;
use lantern_core::{Moment, SiteId};
use std::collections::HashMap;
use std::sync::Arc;

/// Messages that wait for several sessions.
type Bodies = HashMap<(SiteId, u64), Arc<Parcel>>;

impl Broker {
    /// Restores what was kept when the service last ran.
    #[must_use]
    pub fn restore(kept: &[KeptState], now: Moment) -> Self {
        let mut broker = Self::default();
        let mut bodies = Bodies::new();
        for piece in kept {
            match piece.part.as_str() {
                keep::SESSION => broker.restore_session(piece, now),
                keep::RETAINED => {
                    if let Some(message) = keep::restore_message(&piece.value) {
                        broker.put_retained(piece.site, Arc::new(message));
                    }
                }
                keep::BODY => {
                    if let Some((number, message)) = keep::number(&piece.item).zip(keep::restore_message(&piece.value))
                    {
                        let realm = broker.realms.entry(piece.site).or_default();
                        bodies.insert((piece.site, number), realm.restore_body(number, message));
                    }
                }
                _ => {}
            }
        }
        for piece in kept {
            broker.restore_piece(piece, &bodies);
        }
        for session in broker.sessions.values_mut() {
            session.flights.make_contiguous().sort_by_key(|flight| flight.queued.number);
            session.waiting.make_contiguous().sort_by_key(|queued| queued.number);
        }
        broker
    }

    fn restore_session(&mut self, piece: &KeptState, now: Moment) {
        let Some(kept) = keep::restore_session(&piece.value) else { return };
        let lineage = kept.lineage.unwrap_or_default();
        let (_, session) =
            self.add_session(piece.site, piece.owner.as_str().into(), lineage.into(), kept.credential.into());
        session.expiry_s = opening::bounded(kept.expiry_s);
        session.ends_at =
            kept.ends_at.and_then(Moment::from_micros).or_else(|| Some(now.plus_seconds(session.expiry_s.into())));
        let delay_s = kept.will_delay_s;
        session.will = kept.will.and_then(keep::KeptMessage::restore).map(|message| Testament {
            message: Arc::new(message),
            delay_s,
            due_at: Some(now.plus_seconds(delay_s.into())),
        });
    }

    fn restore_piece(&mut self, piece: &KeptState, bodies: &Bodies) {
        let Some(realm) = self.realms.get_mut(&piece.site) else { return };
        let Some(&id) = realm.clients.get(piece.owner.as_str()) else { return };
        let Some(session) = self.sessions.get_mut(&id) else { return };
        match piece.part.as_str() {
            keep::FILTER => {
                let filter = crate::Filter::parse(&piece.item).ok();
                if let Some((filter, options)) = filter.zip(keep::restore_filter(&piece.value)) {
                    realm.tree.insert(&filter, tree::Entry { session: id, options });
                    session.filters.insert(filter.written, options);
                }
            }
            keep::MESSAGE => {
                let parcel = |message: Option<Message>, body: Option<u64>| match body {
                    Some(number) => bodies.get(&(piece.site, number)).cloned(),
                    None => message.map(|message| realm.load.parcel(Arc::new(message), None)),
                };
                let Some((queued, packet, is_released)) = keep::restore_entry(&piece.item, &piece.value, parcel) else {
                    return;
                };
                session.next_number = session.next_number.max(queued.number);
                let weight = queued.weight();
                match packet {
                    Some(packet) => {
                        session.flight_bytes += weight;
                        let phase = if is_released { Phase::Released } else { Phase::Unsent { dup: true } };
                        session.flights.push_back(Flight { queued, packet, phase, is_durable: true });
                    }
                    None => {
                        session.waiting_bytes += weight;
                        session.waiting.push_back(queued);
                    }
                }
            }
            keep::RECEIVED => {
                if let Ok(packet) = piece.item.parse() {
                    session.received.insert(packet, Received { is_durable: true, is_asked_again: false });
                }
            }
            _ => {}
        }
    }
}

impl Realm {
    fn restore_body(&mut self, number: u64, message: Message) -> Arc<Parcel> {
        self.last_body = self.last_body.max(number);
        let parcel = self.load.parcel(Arc::new(message), Some(number));
        self.bodies.insert(number, Arc::downgrade(&parcel));
        parcel
    }
}
