//! All parts together.

use crate::allowances::Allowances;
use crate::by_hand::ByHand;
use crate::changes::Changes;
use crate::commands::{Commands, OpenCommands};
use crate::commissioning::Commissionings;
use crate::contacts::Contacts;
use crate::dummies::Dummies;
use crate::heard::Heard;
use crate::intake::Intake;
use crate::latest::Latest;
use crate::links::Links;
use crate::live::Live;
use crate::meaning::{Converter, Definitions, Deriver, Jobs, Recompute, Reworker, Running, Trials};
use crate::memories::Memories;
use crate::plans::Plans;
use crate::publish::Publisher;
use crate::setting_up::SetUp;
use lantern_core::allowance::Allowance;
use lantern_store::{Store, StoreError};
use std::sync::Arc;

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
        let plans = Arc::new(Plans::new(store.clone()));
        let latest = Arc::new(Latest::new(store.clone()));
        let memories = Arc::<Memories>::default();
        let live = Arc::new(Live::new());
        let publisher = Arc::new(Publisher::new(live.clone()));
        let heard = Arc::new(Heard::load(store.clone(), live.clone()).await?);
        let contacts = Arc::new(Contacts::new(store.clone(), live.clone()));
        let links = Arc::new(Links::new(store.clone()));
        let dummies = Arc::new(Dummies::load(store.clone()).await?);
        let open_commands = Arc::new(OpenCommands::load(&store).await?);
        let changes = Arc::new(Changes {
            plans: plans.clone(),
            heard: heard.clone(),
            latest: latest.clone(),
            memories: memories.clone(),
            dummies: dummies.clone(),
            links: links.clone(),
            commands: open_commands.clone(),
            live: live.clone(),
            publisher: publisher.clone(),
        });
        let running = Arc::<Running>::default();
        let recompute = Arc::<Recompute>::default();
        let deriver = Deriver {
            store: store.clone(),
            plans: plans.clone(),
            latest: latest.clone(),
            memories: memories.clone(),
            publisher: publisher.clone(),
            running: running.clone(),
            recompute: recompute.clone(),
        };
        let reworker = Reworker {
            store: store.clone(),
            plans: plans.clone(),
            memories: memories.clone(),
            changes: changes.clone(),
            recompute: recompute.clone(),
        };
        let jobs = Arc::new(Jobs::new(reworker, running));
        let definitions = Arc::new(Definitions { store: store.clone(), plans: plans.clone() });
        let commands = Arc::new(Commands::new(store.clone(), publisher.clone(), open_commands));
        let set_up = Arc::new(SetUp {
            store: store.clone(),
            changes: changes.clone(),
            definitions: definitions.clone(),
            jobs: jobs.clone(),
        });
        let intake = Intake {
            store: store.clone(),
            plans: plans.clone(),
            allowances: Arc::new(Allowances::new(limits.requests, limits.readings)),
            heard: heard.clone(),
            links: links.clone(),
            contacts: contacts.clone(),
            memories,
            converter: Converter { store: store.clone(), latest: latest.clone(), recompute: recompute.clone() },
            latest: latest.clone(),
            dummies,
            changes: changes.clone(),
            publisher: publisher.clone(),
            set_up: set_up.clone(),
            commands: commands.clone(),
        };
        let by_hand = ByHand {
            store: store.clone(),
            plans: plans.clone(),
            latest: latest.clone(),
            changes: changes.clone(),
            publisher: publisher.clone(),
            recompute,
        };
        let commissionings =
            Commissionings { store: store.clone(), latest: latest.clone(), heard: heard.clone(), changes };
        let trials = Trials { definitions: definitions.clone(), latest: latest.clone() };
        Ok(Self {
            store,
            plans,
            latest,
            live,
            publisher,
            heard,
            contacts,
            links,
            definitions,
            trials,
            jobs,
            commands,
            set_up,
            commissionings,
            by_hand,
            intake,
            deriver,
        })
    }
}
