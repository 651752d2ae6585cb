//! The atoms and prefixes of UCUM (tables of sections 28 to 49 of the
//! specification; the atoms that measuring people use).

/// How an atom may be combined.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Kind {
    /// Takes prefixes, products and powers.
    Metric,
    /// Takes products and powers, but no prefix.
    Plain,
    /// Has an offset or a logarithm: stands alone, with a prefix.
    SpecialMetric,
    /// Has an offset or a logarithm: stands alone, without a prefix.
    Special,
}

const METRIC: &[&str] = &[
    "m", "s", "g", "rad", "K", "C", "cd", "mol", "sr", "Hz", "N", "Pa", "J", "W", "A", "V", "F", "Ohm", "S", "Wb", "T",
    "H", "lm", "lx", "Bq", "Gy", "Sv", "kat", "U", "l", "L", "ar", "t", "bar", "u", "eV", "pc", "g%", "cal", "[Cal]",
    "st", "Ky", "Gal", "dyn", "erg", "P", "Bi", "St", "Mx", "G", "Oe", "Gb", "sb", "Lmb", "ph", "Ci", "R", "RAD",
    "REM", "By", "bit", "Bd", "[g]", "[c]", "[h]", "[k]", "[eps_0]", "[mu_0]", "[e]", "[m_e]", "[m_p]", "[G]", "gf",
    "eq", "osm", "m[H2O]", "m[Hg]", "tex", "[iU]", "[IU]", "mho", "[ly]",
];

const PLAIN: &[&str] = &[
    "10*",
    "10^",
    "[pi]",
    "%",
    "[ppth]",
    "[ppm]",
    "[ppb]",
    "[pptr]",
    "gon",
    "deg",
    "'",
    "''",
    "min",
    "h",
    "d",
    "a_t",
    "a_j",
    "a_g",
    "a",
    "wk",
    "mo_s",
    "mo_j",
    "mo_g",
    "mo",
    "AU",
    "atm",
    "[lbf_av]",
    "[in_i]",
    "[ft_i]",
    "[yd_i]",
    "[mi_i]",
    "[fth_i]",
    "[nmi_i]",
    "[kn_i]",
    "[sin_i]",
    "[sft_i]",
    "[syd_i]",
    "[cin_i]",
    "[cft_i]",
    "[cyd_i]",
    "[bf_i]",
    "[cr_i]",
    "[mil_i]",
    "[cml_i]",
    "[hd_i]",
    "[ft_us]",
    "[yd_us]",
    "[in_us]",
    "[rd_us]",
    "[ch_us]",
    "[fth_us]",
    "[mi_us]",
    "[acr_us]",
    "[sct]",
    "[gal_us]",
    "[bbl_us]",
    "[qt_us]",
    "[pt_us]",
    "[gil_us]",
    "[foz_us]",
    "[fdr_us]",
    "[cup_us]",
    "[tbs_us]",
    "[tsp_us]",
    "[bu_us]",
    "[gal_br]",
    "[qt_br]",
    "[pt_br]",
    "[foz_br]",
    "[gr]",
    "[lb_av]",
    "[oz_av]",
    "[dr_av]",
    "[scwt_av]",
    "[lcwt_av]",
    "[ston_av]",
    "[lton_av]",
    "[stone_av]",
    "[lb_tr]",
    "[oz_tr]",
    "[pwt_tr]",
    "[degR]",
    "[psi]",
    "[HP]",
    "[Btu]",
    "[Btu_IT]",
    "[in_i'H2O]",
    "[in_i'Hg]",
    "[NTU]",
    "[FTU]",
    "[rpm]",
    "circ",
    "sph",
    "[car_m]",
    "[car_Au]",
    "[smoot]",
    "[pH2O]",
    "[CFU]",
    "[drp]",
    "bit_s",
    "[pnt]",
];

const SPECIAL_METRIC: &[&str] = &["Cel", "Np", "B", "B[SPL]", "B[V]", "B[mV]", "B[uV]", "B[10.nV]", "B[W]", "B[kW]"];

const SPECIAL: &[&str] = &["[degF]", "[degRe]", "[pH]", "[p'diop]", "%[slope]", "[m/s2/Hz^0.5]"];

/// The prefixes, longest first where one begins another.
pub(super) const PREFIXES: &[&str] = &[
    "da", "Ki", "Mi", "Gi", "Ti", "Y", "Z", "E", "P", "T", "G", "M", "k", "h", "d", "c", "m", "u", "n", "p", "f", "a",
    "z", "y",
];

/// The kind of an atom, if there is one of that name.
pub(super) fn kind(name: &str) -> Option<Kind> {
    [(METRIC, Kind::Metric), (PLAIN, Kind::Plain), (SPECIAL_METRIC, Kind::SpecialMetric), (SPECIAL, Kind::Special)]
        .into_iter()
        .find_map(|(list, kind)| list.contains(&name).then_some(kind))
}
