//! `lantern people` and `lantern everyone`.

use super::{Context, zone};
use crate::args::{EveryoneCommand, PeopleCommand};
use crate::output::table;
use crate::server::segment;
use crate::time;
use anyhow::{Result, bail};
use jiff::tz::TimeZone;
use lantern_api::{
    AccountSite, Invitation, MadeInvitation, Member, MemberChange, NewAdministrator, NewInvitation, Person,
    PersonChange,
};

pub(crate) async fn run(context: &Context, command: PeopleCommand) -> Result<()> {
    let server = context.server()?;
    let site = format!("sites/{}", segment(&server.site_code().await?));
    let zone = zone(&server).await?;
    match command {
        PeopleCommand::List => {
            let members: Vec<Member> = server.list(&format!("{site}/people"), &[]).await?;
            context.output.print(&members, |members| {
                if members.is_empty() {
                    return "Nobody has a role here; administrators may do everything without one.".to_owned();
                }
                let row = |member: &Member| {
                    vec![member.name.clone(), member.role.as_str().to_owned(), time::local(&member.since, &zone)]
                };
                table(&["name", "role", "since"], &[], members.iter().map(row).collect())
            })
        }
        PeopleCommand::Role { name, role } => {
            let role = role.into();
            server.set(&format!("{site}/people/{}", segment(&name)), &MemberChange { role }).await?;
            context.output.say(&format!("{name} is {} now", with_article(role.as_str())))
        }
        PeopleCommand::Remove { name } => {
            server.remove(&format!("{site}/people/{}", segment(&name))).await?;
            context.output.say(&format!("{name} has no role here any more"))
        }
        PeopleCommand::Invite { for_whom, role, days } => {
            let new = NewInvitation { for_whom, role: role.into(), days };
            let made: MadeInvitation = server.post(&format!("{site}/invitations"), &new).await?;
            print_address(context, &made, &zone)
        }
        PeopleCommand::Invitations => {
            let all: Vec<Invitation> = server.list(&format!("{site}/invitations"), &[]).await?;
            context.output.print(&all, |all| invitations(all, &zone))
        }
        PeopleCommand::Withdraw { id } => {
            server.remove(&format!("{site}/invitations/{id}")).await?;
            context.output.say(&format!("invitation {id} is withdrawn"))
        }
    }
}

pub(crate) async fn everyone(context: &Context, command: EveryoneCommand) -> Result<()> {
    let server = context.server()?;
    let person = |name: &str| format!("people/{}", segment(name));
    match command {
        EveryoneCommand::List => {
            let all: Vec<Person> = server.list("people", &[]).await?;
            context
                .output
                .print(&all, |all| table(&["name", "administrator", "second factor", "sites"], &[], rows(all)))
        }
        EveryoneCommand::Administrator { name, no_longer } => {
            let change = PersonChange { is_administrator: Some(!no_longer), has_second_factor: None };
            let changed: Person = server.patch(&person(&name), &change).await?;
            context.output.print(&changed, |changed| {
                let now =
                    if changed.is_administrator { "is an administrator now" } else { "is no administrator any more" };
                format!("{} {now}", changed.name)
            })
        }
        EveryoneCommand::Invite { for_whom, days } => {
            let made: MadeInvitation = server.post("invitations", &NewAdministrator { for_whom, days }).await?;
            print_address(context, &made, &TimeZone::system())
        }
        EveryoneCommand::NewPassword { name } => {
            let made: MadeInvitation = server.post(&format!("{}/new-password", person(&name)), &()).await?;
            print_address(context, &made, &TimeZone::system())
        }
        EveryoneCommand::EndSecondFactor { name } => {
            let change = PersonChange { is_administrator: None, has_second_factor: Some(false) };
            let changed: Person = server.patch(&person(&name), &change).await?;
            context.output.print(&changed, |changed| format!("{} logs in without a second factor now", changed.name))
        }
        EveryoneCommand::Remove { name, yes } => {
            if !yes {
                bail!("this ends {name}'s log-ins, tokens and roles; say --yes to do it");
            }
            server.remove(&person(&name)).await?;
            context.output.say(&format!("{name} is removed"))
        }
    }
}

/// Sites with the role a person has there: `marlbeck (viewer), fellside (owner)`.
pub(super) fn roles(sites: &[AccountSite]) -> String {
    sites.iter().map(|site| format!("{} ({})", site.code, site.role.as_str())).collect::<Vec<_>>().join(", ")
}

fn rows(people: &[Person]) -> Vec<Vec<String>> {
    let yes = |is: bool| if is { "yes" } else { "" }.to_owned();
    let row = |person: &Person| {
        let (is_administrator, has_second) = (yes(person.is_administrator), yes(person.has_second_factor));
        vec![person.name.clone(), is_administrator, has_second, roles(&person.sites)]
    };
    people.iter().map(row).collect()
}

fn print_address(context: &Context, made: &MadeInvitation, zone: &TimeZone) -> Result<()> {
    context.output.print(made, |made| {
        format!(
            "{}\nopen until {}; it works once, and is shown this once",
            made.address,
            time::local(&made.expires_at, zone)
        )
    })
}

fn invitations(all: &[Invitation], zone: &TimeZone) -> String {
    if all.is_empty() {
        return "No invitations wait to be used.".to_owned();
    }
    let row = |one: &Invitation| {
        let role = one.role.map_or_else(|| "administrator".to_owned(), |role| role.as_str().to_owned());
        vec![one.id.to_string(), one.for_whom.clone(), role, one.invited_by.clone(), time::local(&one.expires_at, zone)]
    };
    table(&["id", "for", "role", "invited by", "until"], &[0], all.iter().map(row).collect())
}

fn with_article(role: &str) -> String {
    let article = if role.starts_with(['a', 'e', 'i', 'o', 'u']) { "an" } else { "a" };
    format!("{article} {role}")
}
