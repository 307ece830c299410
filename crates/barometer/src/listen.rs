//! Connections with limits: how many there are, how long a request's head and pauses in its body may
//! take, and how long a stopping server waits for those that are open.

use std::sync::Arc;
use std::time::Duration;

use anyhow::Result;
use axum::Router;
use axum::extract::{ConnectInfo, Request};
use hyper_util::rt::{TokioExecutor, TokioIo, TokioTimer};
use hyper_util::server::conn::auto::Builder;
use hyper_util::server::graceful::GracefulShutdown;
use hyper_util::service::TowerToHyperService;
use tokio::net::TcpListener;
use tokio::sync::Semaphore;
use tower::util::MapRequest;

/// What connections may take.
#[derive(Clone, Copy, Debug)]
pub struct Limits {
    /// Connections at the same time; others wait to be accepted.
    pub connections: usize,
    /// Until the head of a request is there, from the connection or the last answer on.
    pub head: Duration,
    /// For requests that are under way when the server is stopped.
    pub last_requests: Duration,
}

impl Limits {
    /// Those of a server.
    pub const USUAL: Self = Self {
        connections: 1024,
        head: Duration::from_secs(20),
        last_requests: Duration::from_secs(8),
    };
}

/// Serves until `stopped`, then lets requests that are under way end within the limit.
pub async fn serve(
    listener: TcpListener,
    app: Router,
    limits: Limits,
    stopped: impl Future<Output = ()>,
) -> Result<()> {
    // One request at a time on a connection: the limit on connections is one on requests.
    let mut builder = Builder::new(TokioExecutor::new()).http1_only();
    builder.http1().timer(TokioTimer::new()).header_read_timeout(limits.head);
    let builder = Arc::new(builder);
    let open = GracefulShutdown::new();
    let places = Arc::new(Semaphore::new(limits.connections));
    let mut stopped = std::pin::pin!(stopped);
    loop {
        let accepted = async {
            let place = places.clone().acquire_owned().await?;
            Ok::<_, anyhow::Error>((place, listener.accept().await))
        };
        let (place, accepted) = tokio::select! {
            accepted = accepted => accepted?,
            () = &mut stopped => break,
        };
        let (stream, from) = match accepted {
            Ok(accepted) => accepted,
            Err(error) => {
                // Too many open files, or a connection that is gone already: others may still come.
                tracing::warn!(?error, "a connection was not accepted");
                tokio::time::sleep(Duration::from_millis(100)).await;
                continue;
            }
        };
        // A layer would copy every route for each connection: a megabyte each.
        let with_address = MapRequest::new(app.clone(), move |mut request: Request<_>| {
            request.extensions_mut().insert(ConnectInfo(from));
            request
        });
        let service = TowerToHyperService::new(with_address);
        let connection =
            builder.serve_connection_with_upgrades(TokioIo::new(stream), service).into_owned();
        let connection = open.watch(connection);
        tokio::spawn(async move {
            // A client that breaks off, or takes too long, is no fault of ours.
            if let Err(error) = connection.await {
                tracing::debug!(?error, "a connection ended early");
            }
            drop(place);
        });
    }
    drop(listener);
    if tokio::time::timeout(limits.last_requests, open.shutdown()).await.is_err() {
        tracing::warn!("some requests did not end in time");
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use std::net::SocketAddr;

    use super::*;
    use axum::routing::get;
    use tokio::io::{AsyncReadExt, AsyncWriteExt};
    use tokio::net::TcpStream;
    use tokio::sync::oneshot;

    /// A server with short limits: its address, what stops it, and its end.
    async fn server() -> (SocketAddr, oneshot::Sender<()>, tokio::task::JoinHandle<Result<()>>) {
        let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
        let address = listener.local_addr().unwrap();
        let from =
            |ConnectInfo(from): ConnectInfo<SocketAddr>| async move { from.ip().to_string() };
        let forever = || std::future::pending::<&'static str>();
        let app = Router::new().route("/", get(from)).route("/forever", get(forever));
        let limits = Limits {
            connections: 2,
            head: Duration::from_millis(200),
            last_requests: Duration::from_millis(300),
        };
        let (stop, stopped) = oneshot::channel();
        let serving = serve(listener, app, limits, async {
            let _ = stopped.await;
        });
        (address, stop, tokio::spawn(serving))
    }

    async fn answer(mut connection: TcpStream, request: &str) -> String {
        connection.write_all(request.as_bytes()).await.unwrap();
        let mut told = String::new();
        connection.read_to_string(&mut told).await.unwrap();
        told
    }

    const REQUEST: &str = "GET / HTTP/1.1\r\nHost: test\r\nConnection: close\r\n\r\n";

    #[tokio::test]
    async fn clients_that_send_nothing_are_let_go_and_make_room_for_others() {
        let (address, _stop, _serving) = server().await;
        let mut silent = Vec::new();
        for _ in 0..2 {
            let mut connection = TcpStream::connect(address).await.unwrap();
            connection.write_all(b"GET / HTTP/1.1\r\nHost: te").await.unwrap();
            silent.push(connection);
        }
        // The third has no place until the silent ones have lost theirs.
        let third = TcpStream::connect(address).await.unwrap();
        let told = answer(third, REQUEST).await;
        assert!(told.starts_with("HTTP/1.1 200 OK") && told.ends_with("127.0.0.1"), "{told}");
    }

    #[tokio::test]
    async fn a_stopping_server_ends_whatever_clients_do() {
        let (address, stop, serving) = server().await;
        let mut waits = TcpStream::connect(address).await.unwrap();
        waits.write_all(b"GET /forever HTTP/1.1\r\nHost: test\r\n\r\n").await.unwrap();
        let other = TcpStream::connect(address).await.unwrap();
        assert!(answer(other, REQUEST).await.starts_with("HTTP/1.1 200 OK"));
        stop.send(()).unwrap();
        // The request never ends: a server that waited for it would not either.
        serving.await.unwrap().unwrap();
    }
}
