//! OCSF, 1.1 and later: API Activity (6003) and HTTP Activity (4002). Events of other classes are passed over.

use std::borrow::Cow;

use serde::Deserialize;

use super::json::Scalar;
use super::{Bad, Take};
use crate::event::{Credential, Event, In};
use crate::time::{milliseconds, rfc3339};

const API_ACTIVITY: u64 = 6003;
const HTTP_ACTIVITY: u64 = 4002;

#[derive(Deserialize)]
struct Activity<'a> {
    class_uid: Option<u64>,
    #[serde(borrow, default)]
    time: Scalar<'a>,
    #[serde(borrow, default)]
    time_dt: Scalar<'a>,
    #[serde(borrow, default)]
    start_time: Scalar<'a>,
    #[serde(borrow, default)]
    end_time: Scalar<'a>,
    count: Option<u64>,
    status_id: Option<u64>,
    #[serde(borrow, default)]
    status_code: Scalar<'a>,
    #[serde(borrow, default)]
    metadata: Metadata<'a>,
    #[serde(borrow, default)]
    actor: Actor<'a>,
    #[serde(borrow, default)]
    api: Api<'a>,
    #[serde(borrow, default)]
    resources: Vec<Resource<'a>>,
    #[serde(borrow, default)]
    src_endpoint: NetworkEndpoint<'a>,
    #[serde(borrow, default)]
    dst_endpoint: NetworkEndpoint<'a>,
    #[serde(borrow, default)]
    http_request: HttpRequest<'a>,
    #[serde(default)]
    http_response: HttpResponse,
}

#[derive(Deserialize, Default)]
struct Metadata<'a> {
    #[serde(borrow, default)]
    uid: Scalar<'a>,
}

#[derive(Deserialize, Default)]
struct Actor<'a> {
    #[serde(borrow, default)]
    user: User<'a>,
    #[serde(borrow, default)]
    app_uid: Scalar<'a>,
}

#[derive(Deserialize, Default)]
struct User<'a> {
    #[serde(borrow, default)]
    uid: Scalar<'a>,
    #[serde(borrow, default)]
    name: Scalar<'a>,
}

#[derive(Deserialize, Default)]
struct Api<'a> {
    #[serde(borrow, default)]
    operation: Scalar<'a>,
    #[serde(borrow, default)]
    service: Service<'a>,
    #[serde(default)]
    response: ApiResponse,
}

#[derive(Deserialize, Default)]
struct ApiResponse {
    code: Option<u16>,
}

#[derive(Deserialize, Default)]
struct Service<'a> {
    #[serde(borrow, default)]
    name: Scalar<'a>,
}

#[derive(Deserialize)]
struct Resource<'a> {
    #[serde(borrow, default)]
    uid: Scalar<'a>,
    #[serde(borrow, default)]
    name: Scalar<'a>,
    #[serde(borrow, default, rename = "type")]
    kind: Scalar<'a>,
}

#[derive(Deserialize, Default)]
struct NetworkEndpoint<'a> {
    #[serde(borrow, default)]
    ip: Scalar<'a>,
    #[serde(borrow, default)]
    hostname: Scalar<'a>,
}

#[derive(Deserialize, Default)]
struct HttpRequest<'a> {
    #[serde(borrow, default)]
    http_method: Scalar<'a>,
    #[serde(borrow, default)]
    url: Url<'a>,
    #[serde(borrow, default)]
    http_headers: Option<Vec<Header<'a>>>,
}

#[derive(Deserialize, Default)]
struct Url<'a> {
    #[serde(borrow, default)]
    hostname: Scalar<'a>,
    #[serde(borrow, default)]
    path: Scalar<'a>,
    #[serde(borrow, default)]
    query_string: Scalar<'a>,
    #[serde(borrow, default)]
    url_string: Scalar<'a>,
}

#[derive(Deserialize)]
struct Header<'a> {
    #[serde(borrow, default)]
    name: Scalar<'a>,
    #[serde(borrow, default)]
    value: Scalar<'a>,
}

#[derive(Deserialize, Default)]
struct HttpResponse {
    code: Option<u16>,
}

/// Reads an event, or a list of them.
pub(super) fn read(text: &str, take: &mut dyn Take) -> Result<(), Bad> {
    if text.trim_start().starts_with('[') {
        let all: Vec<Activity<'_>> = serde_json::from_str(text).map_err(|_| Bad::NotOfTheFormat)?;
        let mut wrong = Ok(());
        for it in &all {
            wrong = wrong.and(activity(it, take));
        }
        return wrong;
    }
    activity(&serde_json::from_str(text).map_err(|_| Bad::NotOfTheFormat)?, take)
}

fn activity(it: &Activity<'_>, take: &mut dyn Take) -> Result<(), Bad> {
    let time = |scalar: &Scalar<'_>| {
        let text = scalar.text()?;
        text.parse().ok().map(milliseconds).or_else(|| rfc3339(text))
    };
    let at = time(&it.time).or_else(|| time(&it.time_dt)).ok_or(Bad::NoTime)?;
    let base = Event {
        first: Some(time(&it.start_time).filter(|_| it.count.is_some()).unwrap_or(at)),
        last: Some(time(&it.end_time).filter(|_| it.count.is_some()).unwrap_or(at)),
        count: it.count,
        id: it.metadata.uid.text().map(|id| ("", id)),
        client: it.src_endpoint.ip.text(),
        ..Event::default()
    };
    let user = || it.actor.user.uid.text().or(it.actor.user.name.text()).or(it.actor.app_uid.text());
    match it.class_uid {
        Some(API_ACTIVITY) => {
            let operation = it.api.operation.text().ok_or(Bad::SaysNothing)?;
            let did: Cow<'_, str> = match it.api.service.name.text() {
                Some(service) if !operation.contains('/') => Cow::Owned(format!("{service}/{operation}")),
                _ => Cow::Borrowed(operation),
            };
            let to = it.resources.first().and_then(|resource| {
                let id = resource.uid.text().or(resource.name.text())?;
                Some(match resource.kind.text() {
                    Some(kind) if !id.contains(':') => Cow::Owned(format!("{kind}:{id}")),
                    _ => Cow::Borrowed(id),
                })
            });
            // What failed for another reason than that it was not allowed was allowed.
            let code: Option<u16> = it.status_code.number().or(it.api.response.code);
            let refused = it.status_id == Some(2) && code.is_none_or(|code| matches!(code, 401 | 403));
            take.event(&Event {
                who: Some(user().ok_or(Bad::SaysNothing)?),
                did: Some(&did),
                to: to.as_deref(),
                outcome: Some(if refused { "refused" } else { "allowed" }),
                ..base
            })
        }
        Some(HTTP_ACTIVITY) => {
            let url = &it.http_request.url;
            let whole =
                url.url_string.text().map(|text| text.split_once("://").map_or(text, |(_, rest)| rest));
            let slash = whole.map_or(0, |whole| whole.find('/').unwrap_or(whole.len()));
            let host =
                url.hostname.text().or(whole.map(|it| &it[..slash])).or(it.dst_endpoint.hostname.text());
            let path: Option<Cow<'_, str>> = match (url.path.text(), url.query_string.text()) {
                (Some(path), Some(query)) => Some(Cow::Owned(format!("{path}?{query}"))),
                (Some(path), None) => Some(Cow::Borrowed(path)),
                (None, _) => {
                    whole.map(|it| Cow::Borrowed(if slash == it.len() { "/" } else { &it[slash..] }))
                }
            };
            let headers = it.http_request.http_headers.as_deref();
            let credentials = headers.unwrap_or_default().iter().filter_map(|header| {
                Some(Credential { place: In::Header, name: header.name.text()?, value: header.value.text()? })
            });
            take.event(&Event {
                host,
                path: path.as_deref(),
                method: it.http_request.http_method.text(),
                status: it.http_response.code.or(it.status_code.number()),
                user: user(),
                credentials: credentials.collect(),
                // Where headers are written down, all of them are.
                tells_all: headers.is_some(),
                ..base
            })
        }
        Some(_) => Ok(()),
        None => Err(Bad::NotOfTheFormat),
    }
}
