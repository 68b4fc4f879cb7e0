(function(){"use strict";
var known=new Map(),last="s",all=[].slice.call(document.querySelectorAll("#findings .finding"));
function make(tag,text,into){var it=document.createElement(tag);if(text)it.textContent=text;if(into)into.appendChild(it);return it}
function choice(bar,label,words){var box=make("label",label,bar),it=make("select",null,box);words.forEach(function(word){var o=make("option",word[1],it);o.value=word[0]});it.addEventListener("change",show);return it}
var bar=document.getElementById("filters"),text,severity,owner,order,told;
if(bar&&all.length){
bar.hidden=false;
var box=make("label","Search findings",bar);text=make("input",null,box);text.type="search";text.addEventListener("input",show);
severity=choice(bar,"Severity",[["0","all"],["5","critical"],["4","high and worse"],["3","medium and worse"],["2","low and worse"]]);
var owners={};all.forEach(function(it){if(it.dataset.owner)owners[it.dataset.owner]=1});
owner=choice(bar,"Owner",[["","all"]].concat(Object.keys(owners).sort().map(function(it){return[it,it]})));
order=choice(bar,"Order",[["s","worst first"],["r","by rule"],["t","by thing"]]);
told=make("output",null,bar);told.setAttribute("aria-live","polite");
show()}
function at(it){var told=known.get(it);if(!told){told={s:0,r:it.querySelector(".where a").textContent,t:it.querySelector(".mono").textContent,all:it.textContent.toLowerCase()};known.set(it,told)}return told}
function show(){
var words=text.value.toLowerCase().split(/\s+/).filter(Boolean),least=+severity.value,who=owner.value,shown=0;
all.forEach(function(it){var all=words.length?at(it).all:"";
var is=+it.dataset.s>=least&&(!who||it.dataset.owner===who)&&words.every(function(word){return all.indexOf(word)>=0});
it.hidden=!is;if(is)shown++});
var key=order.value,place=document.getElementById("list");
if(key!==last){last=key;var by=all.slice().sort(function(a,b){var x=at(a)[key],y=at(b)[key];return x<y?-1:x>y?1:a.dataset.n-b.dataset.n});
by.forEach(function(it){place.appendChild(it)})}
told.textContent=shown+" of "+all.length+" findings"}
function open(){var id=decodeURIComponent(location.hash.slice(1)),it=id&&document.getElementById(id);
for(var at=it;at;at=at.parentElement)if(at.tagName==="DETAILS")at.open=true;
if(it&&it.hidden){it.hidden=false}if(it)it.scrollIntoView()}
addEventListener("hashchange",open);if(location.hash)open();
var cards=[].slice.call(document.querySelectorAll(".passport")),find=document.getElementById("passport-filters");
if(find&&cards.length>1){find.hidden=false;
var label=make("label","Search passports",find),word=make("input",null,label);word.type="search";
var print=make("button","Print passports",find);print.type="button";
var count=make("output",null,find);count.setAttribute("aria-live","polite");
var only=function(){var want=word.value.toLowerCase(),shown=0;cards.forEach(function(it){var is=!want||it.textContent.toLowerCase().indexOf(want)>=0;it.hidden=!is;if(is)shown++});count.textContent=shown+" of "+cards.length+" passports"};
word.addEventListener("input",only);only();
print.addEventListener("click",function(){document.body.classList.add("only-passports");window.print();document.body.classList.remove("only-passports")})}
})();
