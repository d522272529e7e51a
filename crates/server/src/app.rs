//! Every route on one screen, and what wraps them.

use actix_web::{http::header::CACHE_CONTROL, middleware::DefaultHeaders};
use utoipa_actix_web::service_config::ServiceConfig;

use crate::api::{
    assess, best_vo2max, entries, everything, goals, groups, health, history, join, library, life_events, made_up, people, photos, points,
    practice, readiness, rehearsals, reports, results, retests, roster, row_time, runs, session, today, trend, visits,
};

/// The routes under `/api`.
pub fn routes(config: &mut ServiceConfig) {
    config
        // Routes are tried in this order: what a run sends every second comes first.
        .service(runs::append)
        .service(health::health)
        .service(session::welcome)
        .service(session::sign_in)
        .service(session::current)
        .service(session::sign_out)
        .service(session::change_password)
        .service(session::end_others)
        .service(session::found_practice)
        .service(practice::get)
        .service(practice::update)
        .service(practice::add_coach)
        .service(practice::remove_coach)
        .service(practice::who_did_what)
        .service(today::show)
        .service(today::search)
        .service(people::list)
        .service(people::add)
        .service(roster::read)
        .service(roster::add)
        .service(made_up::load)
        .service(made_up::remove)
        .service(people::get)
        .service(people::live)
        .service(people::update)
        .service(people::record)
        .service(everything::out)
        .service(everything::import_practice)
        .service(everything::measures)
        .service(everything::measures_of)
        .service(people::erase)
        .service(roster::people_csv)
        .service(roster::group_csv)
        .service(groups::list)
        .service(groups::put)
        .service(groups::get)
        .service(groups::close)
        .service(groups::join)
        .service(groups::change)
        .service(groups::leave)
        .service(life_events::add)
        .service(life_events::remove)
        .service(photos::list)
        .service(photos::keep)
        .service(photos::get)
        .service(photos::remove)
        .service(goals::add)
        .service(goals::withdraw)
        .service(readiness::advise)
        .service(readiness::keep)
        .service(library::list)
        .service(library::equipment)
        .service(library::get)
        .service(library::copy)
        .service(library::type_error)
        .service(library::set_mark)
        .service(assess::prepare)
        .service(assess::differences)
        .service(assess::choose)
        .service(runs::admission)
        .service(runs::create)
        .service(runs::get)
        .service(runs::pictures)
        .service(runs::live)
        .service(join::get)
        .service(join::append)
        .service(join::live)
        .service(rehearsals::create)
        .service(rehearsals::simulated)
        .service(rehearsals::lift)
        .service(row_time::get)
        .service(entries::enter)
        .service(entries::correct)
        .service(results::get)
        .service(best_vo2max::get)
        .service(trend::get)
        .service(retests::preview)
        .service(retests::keep)
        .service(retests::list)
        .service(retests::section)
        .service(retests::export)
        .service(retests::skip)
        .service(retests::unskip)
        .service(visits::batteries)
        .service(visits::batteries_for)
        .service(visits::keep_battery)
        .service(visits::retire_battery)
        .service(visits::plan)
        .service(points::get)
        .service(points::keep)
        .service(points::past)
        .service(points::csv)
        .service(points::read)
        .service(history::history)
        .service(visits::begin)
        .service(visits::get)
        .service(visits::change)
        .service(reports::share)
        .service(reports::links)
        .service(reports::withdraw)
        .service(reports::photo)
        .service(reports::open);
}

/// What every answer carries. Where it is reached over `tls`, a browser is told to come back over nothing else, for half a year.
pub fn headers(tls: bool) -> DefaultHeaders {
    let headers = if tls { DefaultHeaders::new().add(("Strict-Transport-Security", "max-age=15552000")) } else { DefaultHeaders::new() };
    headers
        .add(("Content-Security-Policy", "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; font-src 'self'; connect-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"))
        .add(("X-Content-Type-Options", "nosniff"))
        .add(("X-Frame-Options", "DENY"))
        // A client's link is for the client: no search engine keeps it.
        .add(("X-Robots-Tag", "noindex"))
        .add(("Referrer-Policy", "same-origin"))
        .add(("Permissions-Policy", "camera=(self), microphone=(), geolocation=(), screen-wake-lock=(self)"))
        .add(("Cross-Origin-Opener-Policy", "same-origin"))
}

/// What every answer of the interface carries besides: a record is kept by no cache.
pub fn private() -> DefaultHeaders {
    DefaultHeaders::new().add((CACHE_CONTROL, "no-store"))
}
