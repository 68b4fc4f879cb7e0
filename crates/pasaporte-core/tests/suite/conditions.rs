//! Every operator against every sort of knowledge (access-model §5).

use crate::support::{World, time};
use pasaporte_core::access::{Context, Known, Truth};
use pasaporte_core::estate::{Attribute, Condition, Estate, Test};
use pasaporte_core::pattern::Pattern;
use rstest::rstest;

const SOURCE: Attribute = Attribute::SourceResource;

/// Whether a test of the source holds, given what is known of it.
fn holds(test: impl FnOnce(&mut World) -> Test, known: Option<Known>) -> Truth {
    let mut world = World::default();
    let condition = Condition::Test(SOURCE, test(&mut world));
    let estate = world.finish();
    let mut context = Context::default();
    if let Some(known) = known {
        context.fix(SOURCE, known);
    }
    condition.holds(&context, &estate)
}

#[expect(clippy::unnecessary_wraps, reason = "beside cases of nothing known")]
fn text(text: &str) -> Option<Known> {
    Some(Known::Text(text.to_owned()))
}

#[expect(clippy::unnecessary_wraps, reason = "beside cases of nothing known")]
fn network(text: &str) -> Option<Known> {
    Some(Known::Network(text.parse().unwrap()))
}

#[rstest]
#[case::unknown(None, Truth::Unknown)]
#[case::one_of_them(text("b"), Truth::True)]
#[case::none_of_them(text("c"), Truth::False)]
#[case::absent(Some(Known::Absent), Truth::False)]
#[case::a_strangers(Some(Known::Foreign), Truth::False)]
fn equals_any_of_its_values_and_not_equals_is_its_opposite(
    #[case] known: Option<Known>,
    #[case] expected: Truth,
) {
    let values = |world: &mut World| vec![world.builder.name("a"), world.builder.name("b")];
    assert_eq!(holds(|world| Test::Equals(values(world).into()), known.clone()), expected);
    assert_eq!(holds(|world| Test::NotEquals(values(world).into()), known), !expected);
}

#[rstest]
#[case::unknown("a*", None, Truth::Unknown)]
#[case::matches("a*", text("ab"), Truth::True)]
#[case::does_not("a*", text("ba"), Truth::False)]
#[case::absent("*", Some(Known::Absent), Truth::False)]
#[case::a_stranger_fits_everything("*", Some(Known::Foreign), Truth::True)]
#[case::a_stranger_may_choose_a_fitting_name("bucket:tide-*", Some(Known::Foreign), Truth::Unknown)]
#[case::a_stranger_cannot_take_a_name("bucket:tides", Some(Known::Foreign), Truth::False)]
fn like(#[case] pattern: &str, #[case] known: Option<Known>, #[case] expected: Truth) {
    assert_eq!(holds(|_| Test::Like(Box::new([Pattern::parse(pattern).unwrap()])), known), expected);
}

#[rstest]
#[case::unknown("10.0.0.0/8", None, Truth::Unknown)]
#[case::inside("10.0.0.0/8", text("10.1.2.3"), Truth::True)]
#[case::outside("10.0.0.0/8", text("192.0.2.1"), Truth::False)]
#[case::no_address("10.0.0.0/8", text("harbour"), Truth::Unknown)]
#[case::a_part("10.0.0.0/8", network("10.4.0.0/16"), Truth::True)]
#[case::more_than_it("10.4.0.0/16", network("10.0.0.0/8"), Truth::Unknown)]
#[case::beside("10.4.0.0/16", network("10.5.0.0/16"), Truth::False)]
#[case::six("2001:db8::/32", text("2001:db8::1"), Truth::True)]
#[case::absent("0.0.0.0/0", Some(Known::Absent), Truth::False)]
#[case::a_stranger_is_on_the_internet("0.0.0.0/0", Some(Known::Foreign), Truth::True)]
#[case::a_stranger_is_not_inside("192.168.7.0/24", Some(Known::Foreign), Truth::False)]
#[case::a_stranger_may_be_there("203.0.113.0/24", Some(Known::Foreign), Truth::Unknown)]
fn in_network(#[case] net: &str, #[case] known: Option<Known>, #[case] expected: Truth) {
    assert_eq!(holds(|_| Test::InNetwork(Box::new([net.parse().unwrap()])), known), expected);
}

#[rstest]
#[case::earlier(Some(Known::At(time("2026-01-01"))), Truth::True, Truth::False)]
#[case::then(Some(Known::At(time("2026-06-01"))), Truth::False, Truth::True)]
#[case::later(Some(Known::At(time("2026-12-01"))), Truth::False, Truth::True)]
#[case::written(text("2026-01-01T00:00:00Z"), Truth::True, Truth::False)]
#[case::unreadable(text("soon"), Truth::Unknown, Truth::Unknown)]
#[case::unknown(None, Truth::Unknown, Truth::Unknown)]
fn before_and_after(#[case] known: Option<Known>, #[case] before: Truth, #[case] after: Truth) {
    assert_eq!(holds(|_| Test::Before(time("2026-06-01")), known.clone()), before);
    assert_eq!(holds(|_| Test::After(time("2026-06-01")), known), after);
}

#[rstest]
#[case::given(text("x"), Truth::True)]
#[case::absent(Some(Known::Absent), Truth::False)]
#[case::a_strangers(Some(Known::Foreign), Truth::True)]
#[case::unknown(None, Truth::Unknown)]
fn present(#[case] known: Option<Known>, #[case] expected: Truth) {
    assert_eq!(holds(|_| Test::Present(true), known.clone()), expected);
    assert_eq!(holds(|_| Test::Present(false), known), !expected);
}

#[test]
fn what_is_fixed_first_stays() {
    let context = Context::default().with(SOURCE, Known::Absent).with(SOURCE, Known::Foreign);
    assert_eq!(context.get(SOURCE), Some(&Known::Absent));
}

fn sentence(attribute: impl FnOnce(&mut World) -> (Attribute, Test)) -> String {
    let mut world = World::default();
    let (attribute, test) = attribute(&mut world);
    let estate: Estate = world.finish();
    Condition::Test(attribute, test).sentence(&estate)
}

#[test]
fn conditions_read_as_parts_of_a_sentence() {
    let equals = sentence(|w| {
        (Attribute::AccountOfSource, Test::Equals(Box::new([w.builder.name("a"), w.builder.name("b")])))
    });
    assert_eq!(equals, "account of source is a or b");
    let tag = sentence(|w| {
        (Attribute::CallerTag(w.builder.name("team")), Test::NotEquals(Box::new([w.builder.name("x")])))
    });
    assert_eq!(tag, "caller tag team is not x");
    let proof = sentence(|_| (Attribute::OutsideProof, Test::Present(true)));
    assert_eq!(proof, "the agreed outside proof is given");
    let before = sentence(|_| (Attribute::Time, Test::Before(time("2026-06-01"))));
    assert_eq!(before, "time is before 2026-06-01T00:00:00Z");
    let like = sentence(|_| (SOURCE, Test::Like(Box::new([Pattern::parse("bucket:*").unwrap()]))));
    assert_eq!(like, "source resource is like bucket:*");
}

#[test]
fn what_is_unknown_stays_so_unless_the_rest_decides() {
    let all = [Truth::False, Truth::Unknown, Truth::True];
    for one in all {
        assert_eq!(!!one, one);
        assert_eq!((one.and(Truth::True), one.and(Truth::False)), (one, Truth::False));
        assert_eq!((one.or(Truth::False), one.or(Truth::True)), (one, Truth::True));
        for other in all {
            assert_eq!(!one.and(other), (!one).or(!other), "{one:?} {other:?}");
            assert_eq!(one.and(other), Truth::all([other, one]));
            assert_eq!(one.or(other), Truth::any([other, one]));
        }
    }
    assert_eq!((Truth::all([]), Truth::any([])), (Truth::True, Truth::False));
}
