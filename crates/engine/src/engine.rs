//! All parts together.

use crate::alarms::Alarms;
use crate::allowances::Allowances;
use crate::by_hand::ByHand;
use crate::callouts::Callouts;
use crate::changes::Changes;
use crate::commands::{Commands, OpenCommands};
use crate::commissioning::Commissionings;
use crate::contacts::Contacts;
use crate::dummies::Dummies;
use crate::health::{Filling, Healths};
use crate::heard::Heard;
use crate::intake::Intake;
use crate::lamps::Lamps;
use crate::latest::Latest;
use crate::links::Links;
use crate::live::Live;
use crate::meaning::{Converter, Definitions, Deriver, Jobs, Recompute, Reworker, Running, Trials};
use crate::memories::Memories;
use crate::notes::Notes;
use crate::now::Now;
use crate::origin::Origins;
use crate::people::People;
use crate::plans::Plans;
use crate::publish::Publisher;
use crate::record::Records;
use crate::setting_up::SetUp;
use crate::trusted_clock::TrustedClock;
use crate::views::Views;
use crate::why::Whys;
use lantern_core::allowance::Allowance;
use lantern_store::{Store, StoreError};
use std::sync::{Arc, Mutex, OnceLock};

/// What one key may send.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Limits {
    /// Requests.
    pub requests: Allowance,
    /// Readings.
    pub readings: Allowance,
}

/// All parts of the service that are not a protocol's. A function is handed the parts it
/// uses; whoever has an engine chooses them.
pub struct Engine {
    /// The database.
    pub store: Arc<Store>,
    /// What the intake knows of keys, sites and devices.
    pub plans: Arc<Plans>,
    /// The last readings.
    pub latest: Arc<Latest>,
    /// The live stream.
    pub live: Arc<Live>,
    /// Where what is kept goes out.
    pub publisher: Arc<Publisher>,
    /// When devices were last heard.
    pub heard: Arc<Heard>,
    /// The contact log.
    pub contacts: Arc<Contacts>,
    /// How messages come through.
    pub links: Arc<Links>,
    /// Whether meanings fit.
    pub definitions: Arc<Definitions>,
    /// Trying meanings out.
    pub trials: Trials,
    /// Histories that are made again.
    pub jobs: Arc<Jobs>,
    /// Commands to devices.
    pub commands: Arc<Commands>,
    /// The set-up.
    pub set_up: Arc<SetUp>,
    /// Devices in trial.
    pub commissionings: Commissionings,
    /// Devices as they are now.
    pub now: Arc<Now>,
    /// Why nothing is seen.
    pub whys: Whys,
    /// Where values come from.
    pub origins: Origins,
    /// The clock, as far as it can be believed.
    pub trusted: Arc<TrustedClock>,
    /// How everything is doing.
    pub healths: Arc<Healths>,
    /// Watches and alarms.
    pub alarms: Arc<Alarms>,
    /// Calling people.
    pub callouts: Arc<Callouts>,
    /// Presence and alarms at a glance.
    pub lamps: Arc<Lamps>,
    /// People, their log-ins and invitations.
    pub people: Arc<People>,
    /// Who changed what.
    pub records: Records,
    /// What people write to times and spans.
    pub notes: Arc<Notes>,
    /// Keeps views of charts.
    pub views: Arc<Views>,
    /// Readings people enter and delete.
    pub by_hand: ByHand,
    /// The way in.
    pub intake: Intake,
    pub(crate) deriver: Deriver,
}

impl Engine {
    /// Wires the parts around a store, and reads what they remember.
    ///
    /// # Errors
    /// [`StoreError`] if something cannot be read.
    pub async fn open(store: Arc<Store>, limits: &Limits) -> Result<Self, StoreError> {
        let base = Base::load(store).await?;
        let changes = Arc::new(base.changes());
        let deriver = base.deriver();
        let Base { store, plans, latest, live, publisher, heard, contacts, links, recompute, .. } = base.clone();
        let definitions = Arc::new(Definitions { store: store.clone(), plans: plans.clone() });
        let jobs = Arc::new(Jobs::new(base.reworker(&changes), deriver.running.clone()));
        let commands = Arc::new(Commands::new(store.clone(), publisher.clone(), base.open_commands.clone()));
        let set_up = Arc::new(SetUp {
            store: store.clone(),
            changes: changes.clone(),
            definitions: definitions.clone(),
            jobs: jobs.clone(),
        });
        let notes = Arc::new(Notes { store: store.clone(), changes: changes.clone() });
        let views = Arc::new(Views { store: store.clone(), changes: changes.clone() });
        let trusted = Arc::new(TrustedClock::load(store.clone()).await?);
        let people = Arc::new(People::new(store.clone()));
        let healths = Arc::new(Healths {
            probes: Mutex::default(),
            store: store.clone(),
            trusted: trusted.clone(),
            filling: Filling::default(),
        });
        let alarms = base.alarms(&healths);
        let now = Arc::new(base.now(&alarms));
        publisher.watch(alarms.clone());
        Ok(Self {
            intake: base.intake(limits, &changes, &set_up, &commands),
            by_hand: ByHand {
                store: store.clone(),
                plans: plans.clone(),
                latest: latest.clone(),
                changes: changes.clone(),
                publisher: publisher.clone(),
                recompute,
            },
            origins: Origins { store: store.clone(), plans: plans.clone(), latest: latest.clone() },
            records: Records {
                store: store.clone(),
                set_up: set_up.clone(),
                notes: notes.clone(),
                views: views.clone(),
                people: people.clone(),
            },
            healths,
            alarms: alarms.clone(),
            callouts: Arc::new(Callouts {
                store: store.clone(),
                plans: plans.clone(),
                now: now.clone(),
                alarms: alarms.clone(),
                publisher: publisher.clone(),
                post: OnceLock::new(),
                unwritten: Default::default(),
            }),
            trusted,
            people,
            notes,
            views,
            commissionings: Commissionings {
                store: store.clone(),
                latest: latest.clone(),
                heard: heard.clone(),
                changes,
            },
            now,
            lamps: Arc::new(Lamps { heard: heard.clone(), alarms }),
            whys: Whys { store: store.clone(), heard: heard.clone(), contacts: contacts.clone() },
            trials: Trials { definitions: definitions.clone(), latest: latest.clone() },
            store,
            plans,
            latest,
            live,
            publisher,
            heard,
            contacts,
            links,
            definitions,
            jobs,
            commands,
            set_up,
            deriver,
        })
    }
}

/// The lower floors: everything that remembers something.
#[derive(Clone)]
struct Base {
    store: Arc<Store>,
    plans: Arc<Plans>,
    latest: Arc<Latest>,
    memories: Arc<Memories>,
    live: Arc<Live>,
    publisher: Arc<Publisher>,
    heard: Arc<Heard>,
    contacts: Arc<Contacts>,
    links: Arc<Links>,
    dummies: Arc<Dummies>,
    open_commands: Arc<OpenCommands>,
    recompute: Arc<Recompute>,
}

impl Base {
    async fn load(store: Arc<Store>) -> Result<Self, StoreError> {
        let live = Arc::new(Live::new());
        Ok(Self {
            plans: Arc::new(Plans::new(store.clone())),
            latest: Arc::new(Latest::new(store.clone())),
            memories: Arc::default(),
            publisher: Arc::new(Publisher::new(live.clone())),
            heard: Arc::new(Heard::load(store.clone(), live.clone()).await?),
            contacts: Arc::new(Contacts::new(store.clone(), live.clone())),
            links: Arc::new(Links::new(store.clone())),
            dummies: Arc::new(Dummies::load(store.clone()).await?),
            open_commands: Arc::new(OpenCommands::load(&store).await?),
            recompute: Arc::default(),
            live,
            store,
        })
    }

    fn changes(&self) -> Changes {
        Changes {
            plans: self.plans.clone(),
            heard: self.heard.clone(),
            latest: self.latest.clone(),
            memories: self.memories.clone(),
            dummies: self.dummies.clone(),
            links: self.links.clone(),
            commands: self.open_commands.clone(),
            live: self.live.clone(),
            publisher: self.publisher.clone(),
        }
    }

    fn alarms(&self, healths: &Arc<Healths>) -> Arc<Alarms> {
        let Self { store, heard, links, live, .. } = self.clone();
        Arc::new(Alarms::new(store, heard, links, live, healths.clone()))
    }

    fn now(&self, alarms: &Arc<Alarms>) -> Now {
        Now {
            alarms: alarms.clone(),
            store: self.store.clone(),
            plans: self.plans.clone(),
            latest: self.latest.clone(),
            heard: self.heard.clone(),
            links: self.links.clone(),
        }
    }

    fn deriver(&self) -> Deriver {
        Deriver {
            store: self.store.clone(),
            plans: self.plans.clone(),
            latest: self.latest.clone(),
            memories: self.memories.clone(),
            publisher: self.publisher.clone(),
            running: Arc::<Running>::default(),
            recompute: self.recompute.clone(),
        }
    }

    fn reworker(&self, changes: &Arc<Changes>) -> Reworker {
        Reworker {
            store: self.store.clone(),
            plans: self.plans.clone(),
            memories: self.memories.clone(),
            changes: changes.clone(),
            recompute: self.recompute.clone(),
        }
    }

    fn intake(&self, limits: &Limits, changes: &Arc<Changes>, set_up: &Arc<SetUp>, commands: &Arc<Commands>) -> Intake {
        Intake {
            store: self.store.clone(),
            plans: self.plans.clone(),
            allowances: Arc::new(Allowances::new(limits.requests, limits.readings)),
            heard: self.heard.clone(),
            links: self.links.clone(),
            contacts: self.contacts.clone(),
            memories: self.memories.clone(),
            converter: Converter {
                store: self.store.clone(),
                latest: self.latest.clone(),
                recompute: self.recompute.clone(),
            },
            latest: self.latest.clone(),
            dummies: self.dummies.clone(),
            changes: changes.clone(),
            publisher: self.publisher.clone(),
            set_up: set_up.clone(),
            commands: commands.clone(),
        }
    }
}
