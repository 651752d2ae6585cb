//! The atoms and prefixes of UCUM (tables of sections 28 to 49 of the
//! specification): the atoms that measuring people use, and the lookup.

use super::atom::{Atom, Kind, Worth, arbitrary, base, level, metric, offset, opaque, plain};
use super::dimension::Base;
use super::rare::RARE;

const PI: f64 = std::f64::consts::PI;

#[rustfmt::skip]
const ATOMS: &[Atom] = &[
    // Base units (section 28); the gram is a thousandth of the SI's.
    base("m", Base::Length, 1.0), base("s", Base::Time, 1.0), base("g", Base::Mass, 1e-3),
    base("rad", Base::Angle, 1.0), base("K", Base::Temperature, 1.0), base("A", Base::Current, 1.0),
    base("cd", Base::Light, 1.0), base("mol", Base::Amount, 1.0),
    // Derived units of the SI (sections 30 and 31).
    metric("C", 1.0, "A.s"), metric("sr", 1.0, "rad2"), metric("Hz", 1.0, "s-1"), metric("N", 1.0, "kg.m/s2"),
    metric("Pa", 1.0, "N/m2"), metric("J", 1.0, "N.m"), metric("W", 1.0, "J/s"), metric("V", 1.0, "J/C"),
    metric("F", 1.0, "C/V"), metric("Ohm", 1.0, "V/A"), metric("S", 1.0, "Ohm-1"), metric("Wb", 1.0, "V.s"),
    metric("T", 1.0, "Wb/m2"), metric("H", 1.0, "Wb/A"), metric("lm", 1.0, "cd.sr"), metric("lx", 1.0, "lm/m2"),
    metric("Bq", 1.0, "s-1"), metric("Gy", 1.0, "J/kg"), metric("Sv", 1.0, "J/kg"), metric("kat", 1.0, "mol/s"),
    metric("U", 1.0, "umol/min"), metric("l", 1.0, "dm3"), metric("L", 1.0, "l"), metric("ar", 100.0, "m2"),
    metric("t", 1e3, "kg"), metric("bar", 1e5, "Pa"), metric("u", 1.6605390666e-24, "g"),
    metric("eV", 1.602176634e-19, "J"), metric("pc", 3.085678e16, "m"), metric("g%", 1.0, "g/dl"),
    metric("cal", 4.184, "J"), metric("[Cal]", 1.0, "kcal"), metric("mho", 1.0, "S"), metric("tex", 1.0, "g/km"),
    // Units of the CGS system (section 32).
    metric("st", 1.0, "m3"), metric("Ky", 1.0, "cm-1"), metric("Gal", 1.0, "cm/s2"), metric("dyn", 1.0, "g.cm/s2"),
    metric("erg", 1.0, "dyn.cm"), metric("P", 1.0, "dyn.s/cm2"), metric("Bi", 10.0, "A"), metric("St", 1.0, "cm2/s"),
    metric("Mx", 1e-8, "Wb"), metric("G", 1e-4, "T"), metric("Oe", 250.0 / PI, "A/m"), metric("Gb", 1.0, "Oe.cm"),
    metric("sb", 1.0, "cd/cm2"), metric("Lmb", 1.0 / PI, "cd/cm2"), metric("ph", 1e-4, "lx"), metric("Ci", 3.7e10, "Bq"),
    metric("R", 2.58e-4, "C/kg"), metric("RAD", 100.0, "erg/g"), metric("REM", 1.0, "RAD"),
    // Information, constants and what goes with them (sections 33, 48, 49).
    metric("bit", 1.0, "1"), metric("By", 8.0, "bit"), metric("Bd", 1.0, "/s"), metric("[g]", 9.80665, "m/s2"),
    metric("[c]", 299_792_458.0, "m/s"), metric("[h]", 6.62607015e-34, "J.s"), metric("[k]", 1.380649e-23, "J/K"),
    metric("[eps_0]", 8.854187817e-12, "F/m"), metric("[mu_0]", 4e-7 * PI, "N/A2"), metric("[e]", 1.602176634e-19, "C"),
    metric("[m_e]", 9.1093837e-28, "g"), metric("[m_p]", 1.67262192e-24, "g"), metric("[G]", 6.67259e-11, "m3.kg-1.s-2"),
    metric("gf", 1.0, "g.[g]"), metric("eq", 1.0, "mol"), metric("osm", 1.0, "mol"), metric("[ly]", 1.0, "[c].a_j"),
    metric("m[H2O]", 9.80665, "kPa"), metric("m[Hg]", 133.322, "kPa"),
    arbitrary("[iU]", Kind::Metric), metric("[IU]", 1.0, "[iU]"),
    // Plain numbers and angles (section 29).
    plain("10*", 10.0, "1"), plain("10^", 10.0, "1"), plain("[pi]", PI, "1"), plain("%", 1e-2, "1"),
    plain("[ppth]", 1e-3, "1"), plain("[ppm]", 1e-6, "1"), plain("[ppb]", 1e-9, "1"), plain("[pptr]", 1e-12, "1"),
    plain("deg", PI / 180.0, "rad"), plain("gon", 0.9, "deg"), plain("'", 1.0 / 60.0, "deg"),
    plain("''", 1.0 / 3_600.0, "deg"), plain("circ", 2.0 * PI, "rad"), plain("sph", 4.0 * PI, "sr"),
    // Time and distance (section 31).
    plain("min", 60.0, "s"), plain("h", 60.0, "min"), plain("d", 24.0, "h"), plain("wk", 7.0, "d"),
    plain("a_t", 365.24219, "d"), plain("a_j", 365.25, "d"), plain("a_g", 365.2425, "d"), plain("a", 1.0, "a_j"),
    plain("mo_s", 29.53059, "d"), plain("mo_j", 365.25 / 12.0, "d"), plain("mo_g", 365.2425 / 12.0, "d"),
    plain("mo", 1.0, "mo_j"), plain("AU", 149_597.870691, "Mm"), plain("atm", 101_325.0, "Pa"),
    // International customary units (section 34).
    plain("[in_i]", 2.54, "cm"), plain("[ft_i]", 12.0, "[in_i]"), plain("[yd_i]", 3.0, "[ft_i]"),
    plain("[mi_i]", 5_280.0, "[ft_i]"), plain("[fth_i]", 6.0, "[ft_i]"), plain("[nmi_i]", 1_852.0, "m"),
    plain("[kn_i]", 1.0, "[nmi_i]/h"), plain("[sin_i]", 1.0, "[in_i]2"), plain("[sft_i]", 1.0, "[ft_i]2"),
    plain("[syd_i]", 1.0, "[yd_i]2"), plain("[cin_i]", 1.0, "[in_i]3"), plain("[cft_i]", 1.0, "[ft_i]3"),
    plain("[cyd_i]", 1.0, "[yd_i]3"), plain("[bf_i]", 144.0, "[cin_i]"), plain("[cr_i]", 128.0, "[cft_i]"),
    plain("[mil_i]", 1e-3, "[in_i]"), plain("[cml_i]", PI / 4.0, "[mil_i]2"), plain("[hd_i]", 4.0, "[in_i]"),
    // Customary units of the United States (sections 35 and 36).
    plain("[ft_us]", 1_200.0 / 3_937.0, "m"), plain("[yd_us]", 3.0, "[ft_us]"), plain("[in_us]", 1.0 / 12.0, "[ft_us]"),
    plain("[rd_us]", 16.5, "[ft_us]"), plain("[ch_us]", 4.0, "[rd_us]"), plain("[fth_us]", 6.0, "[ft_us]"),
    plain("[mi_us]", 8.0 * 40.0, "[rd_us]"), plain("[acr_us]", 160.0, "[rd_us]2"), plain("[sct]", 1.0, "[mi_us]2"),
    plain("[gal_us]", 231.0, "[cin_i]"), plain("[bbl_us]", 42.0, "[gal_us]"), plain("[qt_us]", 0.25, "[gal_us]"),
    plain("[pt_us]", 0.5, "[qt_us]"), plain("[gil_us]", 0.25, "[pt_us]"), plain("[foz_us]", 0.25, "[gil_us]"),
    plain("[fdr_us]", 0.125, "[foz_us]"), plain("[cup_us]", 16.0, "[tbs_us]"), plain("[tbs_us]", 0.5, "[foz_us]"),
    plain("[tsp_us]", 1.0 / 3.0, "[tbs_us]"), plain("[bu_us]", 2_150.42, "[cin_i]"),
    // British imperial volumes (section 38) and weights (sections 39 and 40).
    plain("[gal_br]", 4.54609, "l"), plain("[qt_br]", 0.25, "[gal_br]"), plain("[pt_br]", 0.5, "[qt_br]"),
    plain("[foz_br]", 0.05, "[pt_br]"), plain("[gr]", 64.79891, "mg"), plain("[lb_av]", 7_000.0, "[gr]"),
    plain("[oz_av]", 1.0 / 16.0, "[lb_av]"), plain("[dr_av]", 1.0 / 16.0, "[oz_av]"), plain("[scwt_av]", 100.0, "[lb_av]"),
    plain("[lcwt_av]", 112.0, "[lb_av]"), plain("[ston_av]", 20.0, "[scwt_av]"), plain("[lton_av]", 20.0, "[lcwt_av]"),
    plain("[stone_av]", 14.0, "[lb_av]"), plain("[pwt_tr]", 24.0, "[gr]"), plain("[oz_tr]", 20.0, "[pwt_tr]"),
    plain("[lb_tr]", 12.0, "[oz_tr]"), plain("[lbf_av]", 1.0, "[lb_av].[g]"), plain("[car_m]", 0.2, "g"),
    plain("[car_Au]", 1.0 / 24.0, "1"), plain("[smoot]", 67.0, "[in_i]"), plain("[drp]", 0.05, "ml"),
    // Pressure, power, heat (sections 41 and 42).
    plain("[degR]", 5.0 / 9.0, "K"), plain("[psi]", 1.0, "[lbf_av]/[sin_i]"), plain("[HP]", 550.0, "[ft_i].[lbf_av]/s"),
    plain("[Btu]", 1.05435, "kJ"), plain("[Btu_IT]", 1.05505585262, "kJ"),
    plain("[in_i'H2O]", 0.0254, "m[H2O]"), plain("[in_i'Hg]", 0.0254, "m[Hg]"),
    // Turns and turbidity; what is only counted.
    plain("[rpm]", 1.0, "/min"), plain("[NTU]", 1.0, "1"), plain("[FTU]", 1.0, "1"),
    arbitrary("[CFU]", Kind::Plain), arbitrary("[pH2O]", Kind::Plain), plain("bit_s", 1.0, "1"),
    // Units with an offset or a logarithm (sections 44 to 46).
    offset("Cel", Kind::SpecialMetric, 1.0, 273.15), offset("[degF]", Kind::Special, 5.0 / 9.0, 459.67 * 5.0 / 9.0),
    offset("[degRe]", Kind::Special, 1.25, 273.15),
    Atom { name: "Np", kind: Kind::SpecialMetric, worth: Worth::Logarithm { base: std::f64::consts::E, scale: 1.0, reference: 1.0, unit: "1" } },
    level("B", 1.0, 1.0, "1"), level("B[SPL]", 0.5, 2e-5, "Pa"), level("B[V]", 0.5, 1.0, "V"),
    level("B[mV]", 0.5, 1.0, "mV"), level("B[uV]", 0.5, 1.0, "uV"), level("B[10.nV]", 0.5, 10.0, "nV"),
    level("B[W]", 1.0, 1.0, "W"), level("B[kW]", 1.0, 1.0, "kW"),
    Atom { name: "[pH]", kind: Kind::Special, worth: Worth::Logarithm { base: 10.0, scale: -1.0, reference: 1.0, unit: "mol/l" } },
    opaque("[p'diop]"), opaque("%[slope]"), opaque("[m/s2/Hz^0.5]"),
];

/// The prefixes with their factors, longest first where one begins another.
pub(super) const PREFIXES: &[(&str, f64)] = &[
    ("da", 1e1),
    ("Ki", 1_024.0),
    ("Mi", 1_048_576.0),
    ("Gi", 1_073_741_824.0),
    ("Ti", 1_099_511_627_776.0),
    ("Y", 1e24),
    ("Z", 1e21),
    ("E", 1e18),
    ("P", 1e15),
    ("T", 1e12),
    ("G", 1e9),
    ("M", 1e6),
    ("k", 1e3),
    ("h", 1e2),
    ("d", 1e-1),
    ("c", 1e-2),
    ("m", 1e-3),
    ("u", 1e-6),
    ("n", 1e-9),
    ("p", 1e-12),
    ("f", 1e-15),
    ("a", 1e-18),
    ("z", 1e-21),
    ("y", 1e-24),
];

/// The atom of a name, if there is one.
pub(super) fn atom(name: &str) -> Option<&'static Atom> {
    ATOMS.iter().chain(RARE).find(|atom| atom.name == name)
}

#[cfg(test)]
mod tests {
    use super::super::{Quantity, UnitCode};
    use super::*;

    /// Every definition leads to base units, and no name is there twice.
    #[test]
    fn all_atoms_are_worth_something() {
        let mut names = std::collections::HashSet::new();
        for atom in ATOMS.iter().chain(RARE) {
            assert!(names.insert(atom.name), "{} is there twice", atom.name);
            let quantity = UnitCode::parse(atom.name).unwrap().quantity();
            let has_none = atom.worth == Worth::Opaque;
            assert_eq!(quantity.is_err(), has_none, "{}: {quantity:?}", atom.name);
            if let Ok(Quantity { factor, .. }) = quantity {
                assert!(factor.is_finite() && factor > 0.0, "{}: {factor}", atom.name);
            }
        }
    }

    #[test]
    fn rare_atoms_are_worth_what_they_are() {
        for (code, unit, worth) in [
            ("att", "Pa", 98_066.5),
            ("Ao", "m", 1e-10),
            ("b", "m2", 1e-28),
            ("[pnt]", "mm", 25.4 / 72.0),
            ("[pca]", "[in_i]", 1.0 / 6.0),
            ("[fur_us]", "m", 201.168_402_336_8),
            ("[twp]", "[mi_us]2", 36.0),
            ("[mi_br]", "m", 1_609.342_732_8),
            ("[acr_br]", "m2", 4_046.850_0),
            ("[gal_wi]", "l", 4.404_883_77),
            ("[bu_br]", "l", 36.368_72),
            ("[gil_br]", "ml", 142.065_312_5),
            ("[lb_ap]", "g", 373.241_721_6),
            ("cal_IT", "J", 4.186_8),
            ("[Btu_60]", "kJ", 1.054_68),
            ("[den]", "tex", 1.0 / 9.0),
            ("[diop]", "m-1", 1.0),
            ("[cicero]", "mm", 324.8 / 72.0),
            ("[S]", "s", 1e-13),
            ("[ft_br]", "cm", 30.479_976),
        ] {
            let quantity = |code: &str| UnitCode::parse(code).unwrap().quantity().unwrap();
            let (of, to) = (quantity(code), quantity(unit));
            assert_eq!(of.dimension, to.dimension, "{code}");
            let seen = of.factor / to.factor;
            assert!((seen / worth - 1.0).abs() < 1e-6, "{code}: {seen} {unit}");
        }
    }
}
