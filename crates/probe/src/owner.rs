//! Whose is a connection on loopback? Any user of the machine can reach a port there; the system's
//! table of connections tells who opened one.

use std::net::{IpAddr, Ipv4Addr, SocketAddr, SocketAddrV4};

/// The user at the other end of a connection on this machine, where the system tells.
fn user_of(peer: SocketAddr, ours: SocketAddr) -> Option<u32> {
    let table = std::fs::read_to_string("/proc/net/tcp").ok()?;
    find(&table, peer, ours)
}

/// The user of the row whose local end is the peer and whose remote end is ours (proc(5): addresses
/// and ports in hexadecimal, the address in the machine's byte order; the user is the eighth
/// column).
fn find(table: &str, peer: SocketAddr, ours: SocketAddr) -> Option<u32> {
    table.lines().skip(1).find_map(|line| {
        let mut columns = line.split_ascii_whitespace().skip(1);
        let local = end(columns.next()?)?;
        let remote = end(columns.next()?)?;
        if local != peer || remote != ours {
            return None;
        }
        columns.nth(4)?.parse().ok()
    })
}

fn end(text: &str) -> Option<SocketAddr> {
    let (address, port) = text.split_once(':')?;
    let address = u32::from_str_radix(address, 16).ok()?;
    let port = u16::from_str_radix(port, 16).ok()?;
    let ip = Ipv4Addr::from(address.to_ne_bytes());
    Some(SocketAddr::V4(SocketAddrV4::new(ip, port)))
}

/// Returns whether both ends are this machine's, opened by our own user.
pub(crate) fn is_ours(peer: SocketAddr, ours: SocketAddr) -> bool {
    let loopback = peer.ip() == IpAddr::V4(Ipv4Addr::LOCALHOST);
    loopback && user_of(peer, ours) == Some(rustix::process::geteuid().as_raw())
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Lines of a real table, on a machine with the least byte first.
    #[cfg(target_endian = "little")]
    #[test]
    fn the_user_is_read_from_the_row_of_the_other_end() {
        let table =
            "  sl  local_address rem_address   st tx_queue rx_queue tr tm->when retrnsmt   \
            uid  timeout inode
   0: 0100007F:A0B5 00000000:0000 0A 00000000:00000000 00:00000000 00000000     0        0 1841 1 \
   0000000000000000 100 0 0 10 0
   1: 0100007F:A0B5 0100007F:D2F0 01 00000000:00000000 00:00000000 00000000     0        0 1850 1 \
   0000000000000000 20 4 30 10 -1
   2: 0100007F:D2F0 0100007F:A0B5 01 00000000:00000000 00:00000000 00000000 65534        0 1849 1 \
   0000000000000000 20 4 30 10 -1";
        let at = |port| SocketAddr::from((Ipv4Addr::LOCALHOST, port));
        assert_eq!(find(table, at(0xD2F0), at(0xA0B5)), Some(65534));
        assert_eq!(find(table, at(0xA0B5), at(0xD2F0)), Some(0));
        assert_eq!(find(table, at(0xD2F1), at(0xA0B5)), None);
    }

    #[tokio::test]
    async fn a_connection_of_our_own_is_ours() {
        let listener = tokio::net::TcpListener::bind((Ipv4Addr::LOCALHOST, 0));
        let listener = listener.await.unwrap();
        let here = listener.local_addr().unwrap();
        let client = tokio::net::TcpStream::connect(here).await.unwrap();
        let (_server, peer) = listener.accept().await.unwrap();
        assert_eq!(peer, client.local_addr().unwrap());
        assert!(is_ours(peer, here));
        let none = SocketAddr::from((Ipv4Addr::LOCALHOST, 1));
        assert!(!is_ours(none, here));
    }
}
