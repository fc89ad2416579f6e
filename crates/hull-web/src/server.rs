//! Routes and the HTTP server.

use crate::line_ends::Strict;
use crate::{
    assets, choosing, deriving, destinations, events, guard, guide, handlers, housekeeping, leaking, manifest, moved,
    pages, panels, readings, repairing, robot, stock, taking_in, together, trying, upload, writing,
};
use actix_http::HttpService;
use actix_service::{ServiceFactoryExt, fn_service, map_config};
use actix_web::dev::AppConfig;
use actix_web::rt::net::TcpStream;
use actix_web::{App, middleware, rt, web};
use hull_store::Store;
use std::net::SocketAddr;
use std::pin::pin;
use std::time::Duration;

/// Serves until the process is told to stop.
///
/// # Errors
/// If the address cannot be had.
#[actix_web::main]
pub async fn run(store: Store, listen: SocketAddr) -> std::io::Result<()> {
    let events = events::Events::of(store.clone());
    let store = web::Data::new(store);
    let followed = events.clone();
    // What `HttpServer` would put together, but for the connections: their line ends are looked at.
    let server = actix_server::Server::build()
        .workers(2)
        .disable_signals()
        .shutdown_timeout(10)
        .bind("ready-hull", listen, move || {
            let app = App::new()
                .app_data(store.clone())
                .app_data(followed.clone())
                .wrap(
                    guard::HEADERS.into_iter().fold(middleware::DefaultHeaders::new(), middleware::DefaultHeaders::add),
                )
                .wrap(middleware::from_fn(guard::only_from_here))
                .configure(routes);
            let http = HttpService::build()
                .client_request_timeout(Duration::from_secs(10))
                .client_disconnect_timeout(Duration::from_secs(1))
                .local_addr(listen)
                .h1(map_config(app, |()| AppConfig::default()));
            fn_service(|stream: TcpStream| async {
                let peer = stream.peer_addr().ok();
                Ok((Strict::new(stream), peer))
            })
            .and_then(http)
        })?
        .run();
    tracing::info!("Ready Hull is at http://{listen}");
    let handle = server.handle();
    rt::spawn(async move {
        told_to_stop().await;
        // Streams that pages follow do not end by themselves.
        events.stop();
        handle.stop(true).await;
    });
    server.await
}

/// Waits until the process is told to end.
async fn told_to_stop() {
    use actix_web::rt::signal::unix::{SignalKind, signal};
    let (Ok(mut asked), Ok(mut typed)) = (signal(SignalKind::terminate()), signal(SignalKind::interrupt())) else {
        return std::future::pending().await;
    };
    let (asked, typed) = (pin!(asked.recv()), pin!(typed.recv()));
    futures_util::future::select(asked, typed).await;
}

/// Every address there is.
pub fn routes(config: &mut web::ServiceConfig) {
    config
        .app_data(web::FormConfig::default().limit(8 << 20))
        .service(assets::asset)
        .service(upload::receive)
        .service(pages::projects_page)
        .service(pages::create_project)
        .service(manifest::manifest)
        .service(together::together)
        .service(events::of_project)
        .service(events::of_body)
        .service(housekeeping::delete)
        .service(housekeeping::restore)
        .service(housekeeping::rename_project)
        .service(housekeeping::rename_body)
        .service(housekeeping::usage)
        .service(destinations::list)
        .service(destinations::toml)
        .service(destinations::show)
        .service(destinations::add)
        .service(destinations::save)
        .service(destinations::bind)
        .service(pages::picture)
        .service(pages::geometry_bytes)
        .service(pages::selected)
        .service(pages::rules_at)
        .service(pages::regions)
        .service(pages::cancel)
        .service(pages::put_aside)
        .service(pages::handover_page)
        .service(pages::handover_zip)
        .service(trying::try_flow)
        .service(trying::ways)
        .service(trying::frame_drawing)
        .service(trying::taken_along)
        .service(pages::routine_toml)
        .service(writing::write)
        .service(writing::file)
        .service(handlers::show)
        .service(handlers::apply_step)
        .service(handlers::preview_step)
        .service(handlers::drop_preview)
        .service(handlers::keep_preview)
        .service(handlers::go_to)
        .service(handlers::survey_rest)
        .service(handlers::hand_over)
        .service(repairing::propose)
        .service(repairing::preview)
        .service(repairing::run)
        .service(repairing::dismiss)
        .service(taking_in::take_in)
        .service(taking_in::accept)
        .service(repairing::fit)
        .service(deriving::derive)
        .service(readings::show)
        .service(leaking::ask)
        .service(leaking::way)
        .service(leaking::findings)
        .service(stock::list)
        .service(stock::add)
        .service(stock::take)
        .service(guide::show)
        .service(robot::show)
        .service(robot::keep)
        .service(robot::drawn)
        .service(robot::seen)
        .service(robot::package)
        .service(robot::building)
        .service(robot::stop)
        .service(robot::motion)
        .service(robot::stands)
        .service(robot::stands_csv)
        .service(moved::comparison)
        .service(moved::tints)
        .service(choosing::choose)
        .service(panels::panel)
        .default_service(web::to(pages::missing));
}
